// Keys, buttons, wheel and pointer.
import { frameAt, lanes } from "./lanes.js";
import { drawList, openTab, tabs } from "./list.js";
import { readColours } from "./marks.js";
import {
  changeSpeed,
  draw,
  fit,
  follow,
  followEnd,
  go,
  jump,
  moveStage,
  play,
  readLink,
  showOld,
  showWholeTime,
  stay,
  step,
  toggle,
  writeLink,
  zoom,
  zoomTime,
} from "./moves.js";
import { boxUnder, flip, middle, toWorld, world } from "./stage.js";
import { element, make, makeOption, SPEEDS, state, versions } from "./state.js";

const PAN = 40; // pixels a key press moves the stage
const CLOSER = 1.25;

function openHelp(on) {
  const box = element("help");
  if (on) box.showModal();
  else box.close();
  element("help-button").setAttribute("aria-expanded", String(on));
}

function unselect() {
  state.finding = -1;
  go(state.frame, null);
}

// What keys do; with Shift the other way, or further.
function actsOf(event) {
  const { shown } = versions;
  const far = event.shiftKey ? 10 : 1;
  const pan = PAN / state.scale;
  const onStage = event.target === world;
  return {
    " ": () => play(!state.playing),
    ArrowLeft: () => step(-far),
    ArrowRight: () => step(far),
    Home: () => step(shown.first - state.frame),
    End: () => step(shown.last - state.frame),
    n: () => jump("finding", event.shiftKey),
    x: () => jump("difference", event.shiftKey),
    c: () => jump("contact", event.shiftKey),
    k: () => jump("claim", event.shiftKey),
    d: () => (onStage ? moveStage(pan, 0) : jump("death", event.shiftKey)),
    a: () => moveStage(-pan, 0),
    w: () => moveStage(0, -pan * flip()),
    s: () => moveStage(0, pan * flip()),
    g: () => showOld(state.off.has("old")),
    l: () => element("at-end") && followEnd(!state.atEnd),
    "[": () => changeSpeed(-1),
    "]": () => changeSpeed(1),
    "+": () => zoom(CLOSER, middle()),
    "=": () => zoom(CLOSER, middle()),
    "-": () => zoom(1 / CLOSER, middle()),
    0: fit,
    f: () => follow(state.follow ? "" : state.pair?.[1] || state.pair?.[0] || ""),
    o: showWholeTime,
    "/": () => element("search").focus(),
    "?": () => openHelp(true),
  };
}

function pressed(event) {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const isTyping = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName);
  if (event.key === "Escape") {
    if (isTyping) event.target.blur();
    else unselect();
    return;
  }
  if (isTyping || element("help").open || (event.key === " " && event.target.tagName === "BUTTON")) return;
  const act = actsOf(event)[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act) return;
  event.preventDefault();
  act();
}

function wireButtons() {
  const acts = {
    back10: () => step(-10),
    back: () => step(-1),
    play: () => play(!state.playing),
    on: () => step(1),
    on10: () => step(10),
    fit,
    closer: () => zoom(CLOSER, middle()),
    further: () => zoom(1 / CLOSER, middle()),
    whole: showWholeTime,
    "help-button": () => openHelp(true),
    "help-close": () => openHelp(false),
    "at-end": () => followEnd(!state.atEnd),
    link: copyLink,
  };
  for (const name of tabs()) acts[`tab-${name}`] = () => openTab(name);
  for (const [id, act] of Object.entries(acts)) element(id)?.addEventListener("click", act);
  for (const button of document.querySelectorAll("[data-jump]")) {
    button.addEventListener("click", (event) => jump(button.dataset.jump, event.shiftKey));
  }
}

async function copyLink() {
  writeLink();
  try {
    await navigator.clipboard.writeText(location.href);
    element("link").textContent = "copied";
  } catch {
    prompt("The link to this frame", location.href);
  }
  setTimeout(() => {
    element("link").textContent = "copy link";
  }, 1500);
}

function wireFields() {
  element("search").addEventListener("input", drawList);
  element("outcome").addEventListener("change", drawList);
  element("frame").addEventListener("change", () => step(Number(element("frame").value) - state.frame));
  element("speed").append(...SPEEDS.map((one) => makeOption(one < 1 ? `1/${1 / one}` : `${one}`, String(one))));
  element("speed").value = "1";
  element("speed").addEventListener("change", () => {
    state.speed = Number(element("speed").value);
  });
  fillFollow();
  element("follow").addEventListener("change", () => follow(element("follow").value));
  element("old")?.addEventListener("change", () => showOld(element("old").checked));
  const { kinds } = versions.shown;
  const layers = [...new Set(kinds.flatMap((kind) => kind.boxes.flatMap((box) => box.layers)))];
  const groups = { role: ["hitbox", "hurtbox", "body"], kind: kinds.map((one) => one.name), layer: layers };
  for (const [group, names] of Object.entries(groups)) for (const name of names) addToggle(group, name);
}

// Everybody who moves by the log can be followed.
export function fillFollow() {
  const ids = [...versions.shown.actors.values()].filter((one) => !one.driven).map((one) => one.id);
  element("follow").replaceChildren(...["", ...ids].map((id) => makeOption(id || "nobody", id)));
  element("follow").value = state.follow;
}

function addToggle(group, name) {
  const label = make("label");
  const box = make("input");
  box.type = "checkbox";
  box.checked = true;
  box.addEventListener("change", () => toggle(`${group}:${name}`, box.checked));
  label.append(box, ` ${group} ${name}`);
  element("toggles").append(label);
}

const placeIn = (event, canvas) => {
  const box = canvas.getBoundingClientRect();
  return [event.clientX - box.left, event.clientY - box.top];
};

function wireStage() {
  let held = null;
  const zoomed = (event) => {
    event.preventDefault();
    zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, placeIn(event, world));
  };
  world.addEventListener("wheel", zoomed, { passive: false });
  world.addEventListener("pointerdown", (event) => {
    held = { x: event.clientX, y: event.clientY, centreX: state.centreX, centreY: state.centreY };
    world.setPointerCapture(event.pointerId);
  });
  world.addEventListener("pointermove", (event) => {
    if (!held) return;
    state.centreX = held.centreX - (event.clientX - held.x) / state.scale;
    state.centreY = held.centreY - ((event.clientY - held.y) / state.scale) * flip();
    draw();
  });
  world.addEventListener("pointerup", (event) => {
    const isStill = held && Math.hypot(event.clientX - held.x, event.clientY - held.y) < 4;
    held = null;
    if (isStill) selectUnder(toWorld(placeIn(event, world)));
  });
}

// Selects whose box is there, with whom it touches.
function selectUnder(point) {
  const box = boxUnder(point);
  if (!box) return;
  const isIts = (one) => one.attacker === box.actor || one.target === box.actor;
  const contact = versions.shown.contactsAt(state.frame).find(isIts);
  state.finding = -1;
  go(state.frame, contact ? [contact.attacker, contact.target] : ["", box.actor]);
}

function wireTime() {
  let isHeld = false;
  const scrub = (event) => step(frameAt(event.clientX) - state.frame);
  lanes.addEventListener("pointerdown", (event) => {
    isHeld = true;
    lanes.setPointerCapture(event.pointerId);
    scrub(event);
  });
  lanes.addEventListener("pointermove", (event) => isHeld && scrub(event));
  lanes.addEventListener("pointerup", () => {
    isHeld = false;
  });
  const zoomed = (event) => {
    event.preventDefault();
    stay();
    zoomTime(frameAt(event.clientX), event.deltaY < 0 ? 0.8 : 1.25);
  };
  lanes.addEventListener("wheel", zoomed, { passive: false });
}

export function wire() {
  document.addEventListener("keydown", pressed);
  wireButtons();
  wireFields();
  wireStage();
  wireTime();
  addEventListener("resize", draw);
  addEventListener("hashchange", () => go(readLink(), state.pair));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    readColours();
    draw();
  });
}
