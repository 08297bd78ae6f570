// Going about: in time, on the stage, from finding to finding.
import { drawFacts } from "./facts.js";
import { drawLanes } from "./lanes.js";
import { drawList, ownDifferences } from "./list.js";
import { drawStage, showActors, showAll, zoomAt } from "./stage.js";
import { element, SPEEDS, state, versions } from "./state.js";

const both = () => [versions.shown, versions.old].filter(Boolean);
let isWaiting = false;

// Draws the frame before the next refresh, once what it needs is unpacked.
export function draw() {
  if (isWaiting) return;
  isWaiting = true;
  requestAnimationFrame(async () => {
    const { frame } = state;
    if (both().some((one) => !one.isReady(frame))) await Promise.all(both().map((one) => one.load(frame)));
    isWaiting = false;
    if (both().some((one) => !one.isReady(state.frame))) {
      draw(); // it has gone on meanwhile
      return;
    }
    drawStage();
    drawLanes();
    drawFacts();
    for (const one of both()) one.load(Math.min(state.frame + AHEAD, one.last)); // so that playing does not wait
  });
}
const AHEAD = 240;

// To a frame; with a pair, that is selected.
export function go(frame, pair) {
  const { first, last } = versions.shown;
  state.frame = Math.min(Math.max(Math.round(frame), first), last);
  if (pair !== undefined) {
    state.pair = pair?.some(Boolean) ? pair : null;
    drawList();
  }
  if (state.frame < state.from || state.frame > state.until) {
    const half = (state.until - state.from) / 2;
    showTime(state.frame - half, state.frame + half);
  }
  draw();
  if (!state.playing && !state.atEnd) writeLink();
}

// To a frame of a pair that is brought into the middle.
export function goTo(frame, pair, finding = -1) {
  state.finding = finding;
  stay();
  go(frame, pair);
  lookAt();
}

export function pick(at) {
  const one = versions.shown.findings[at];
  goTo(one.at, one.attacker || one.target ? [one.attacker, one.target] : null, at);
}

export async function lookAt() {
  if (!state.pair || state.follow) return;
  await versions.shown.load(state.frame);
  showActors(state.pair);
  draw();
}

// The frames that the time shows.
export function showTime(from, until) {
  const { first, last } = versions.shown;
  const whole = Math.max(last - first, 1);
  const span = Math.min(Math.max(until - from, Math.min(20, whole)), whole);
  state.from = Math.min(Math.max(from, first), last - span);
  state.until = state.from + span;
}

export function showWholeTime() {
  showTime(versions.shown.first, versions.shown.last);
  draw();
}

export function zoomTime(at, by) {
  showTime(at - (at - state.from) * by, at + (state.until - at) * by);
  draw();
}

export function writeLink() {
  const [attacker, target] = state.pair ?? [];
  const parts = [`frame=${state.frame}`];
  if (attacker) parts.push(`attacker=${encodeURIComponent(attacker)}`);
  if (target) parts.push(`target=${encodeURIComponent(target)}`);
  if (location.protocol === "about:") return; // within a notebook it has no address
  history.replaceState(null, "", `#${parts.join("&")}`);
}

// The frame that the address names; selects what it names.
export function readLink() {
  const { shown, old } = versions;
  const told = new URLSearchParams(location.hash.slice(1));
  const frame = told.get("frame") ?? "";
  const pair = [told.get("attacker") ?? "", told.get("target") ?? ""];
  if (pair.some(Boolean)) state.pair = pair;
  const isIt = (one) =>
    String(one.frame) === frame && (!state.pair || (one.attacker === state.pair[0] && one.target === state.pair[1]));
  state.finding = shown.findings.findIndex(isIt);
  if (frame !== "" && Number.isFinite(Number(frame))) return Number(frame);
  return old?.plain.parting ? old.plain.parting[0] : shown.first;
}

// Where a jump can lead, by what: [frame, act].
const JUMPS = {
  finding: () => versions.shown.findings.map((one, at) => [one.at, () => pick(at)]),
  contact: () => versions.shown.contacts.map((one) => jumpTo(one.frame, [one.attacker, one.target])),
  claim: () => versions.shown.claims.map((one) => jumpTo(one.frame, [one.attacker ?? "", one.target ?? one.id ?? ""])),
  difference: () => ownDifferences().map((one) => [one.frame, () => goTo(one.frame, one.who)]),
  death: () => versions.shown.events.filter((one) => one.name === "down").map((one) => jumpTo(one.frame, ["", one.id])),
};

function jumpTo(frame, pair) {
  const act = () => {
    state.finding = -1;
    go(frame, pair);
  };
  return [frame, act];
}

export function jump(what, isBack) {
  stay();
  const all = JUMPS[what]().sort((a, b) => a[0] - b[0]);
  const found = isBack
    ? all.filter(([frame]) => frame < state.frame).pop()
    : all.find(([frame]) => frame > state.frame);
  if (found) found[1]();
}

export function step(frames) {
  stay();
  go(state.frame + frames);
}

// No longer follows the end of a recording that grows.
export function stay() {
  if (state.atEnd) followEnd(false);
}

export function followEnd(on) {
  state.atEnd = on;
  element("at-end")?.setAttribute("aria-pressed", String(on));
  if (on) go(versions.shown.last);
}

const clock = { last: 0, owed: 0 };
function tick(time) {
  if (!state.playing) return;
  const { rate, last } = versions.shown;
  clock.owed += ((time - clock.last) / 1000) * rate * state.speed;
  clock.last = time;
  const whole = Math.floor(clock.owed);
  clock.owed -= whole;
  if (state.frame + whole >= last) {
    go(last);
    play(false);
  } else if (whole) {
    go(state.frame + whole);
  }
  requestAnimationFrame(tick);
}

export function play(on) {
  const { first, last } = versions.shown;
  if (on) stay();
  state.playing = on;
  element("play").textContent = on ? "pause" : "play";
  if (!on) {
    writeLink();
    return;
  }
  if (state.frame >= last) state.frame = first;
  Object.assign(clock, { last: performance.now(), owed: 0 });
  requestAnimationFrame(tick);
}

export function changeSpeed(by) {
  const at = Math.min(Math.max(SPEEDS.indexOf(state.speed) + by, 0), SPEEDS.length - 1);
  state.speed = SPEEDS[at];
  element("speed").value = String(state.speed);
}

export function zoom(by, point) {
  zoomAt(by, point);
  draw();
}

export function fit() {
  follow("");
  showAll();
  draw();
}

export function follow(id) {
  state.follow = id;
  element("follow").value = id;
  draw();
}

export function moveStage(dx, dy) {
  state.centreX += dx;
  state.centreY += dy;
  draw();
}

export function showOld(on) {
  if (!versions.old) return;
  toggle("old", on);
  element("old").checked = on;
}

export function toggle(what, on) {
  if (on) state.off.delete(what);
  else state.off.add(what);
  draw();
}
