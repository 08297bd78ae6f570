// The stage: a frame as the rules see it, with what touches and what the game claims.
import { boundsOf, boxesAt, hasWrapped, isInside, lookOf, middleOf, ringsOf } from "./geometry.js";
import {
  colours,
  diamond,
  drawRing,
  fitted,
  flag,
  Labels,
  line,
  LOOKS,
  OLD_DASH,
  ringAround,
  segment,
  slantedCross,
  stroke,
} from "./marks.js";
import { element, state, TRAIL, versions } from "./state.js";

export const world = element("world");
const view = { wide: 1, high: 1 }; // of the stage, in pixels
const LEAST_GRID = 60; // pixels between its lines
const MARGIN = 40; // units around all that moves
const DENIED = ["hit-denied", "hit-moved", "event-denied", "event-moved"];
const NOSE = 16; // pixels of the arrow that says where an actor looks
const FEW = 20; // actors: the shots among no more than these have their names

// On the screen y grows down.
export const flip = () => (versions.shown.plain.up === "+y" ? -1 : 1);
const toScreen = ([x, y]) => [
  view.wide / 2 + (x - state.centreX) * state.scale,
  view.high / 2 + (y - state.centreY) * state.scale * flip(),
];
export const toWorld = ([x, y]) => [
  state.centreX + (x - view.wide / 2) / state.scale,
  state.centreY + ((y - view.high / 2) / state.scale) * flip(),
];
const onScreen = (ring) => ring.map(toScreen);

export function middle() {
  return [view.wide / 2, view.high / 2];
}

// Moves the stage so that some part of the world fills it `times` over.
function show([x0, y0, x1, y1], times, least, most) {
  const box = world.getBoundingClientRect();
  state.centreX = (x0 + x1) / 2;
  state.centreY = (y0 + y1) / 2;
  const scales = [box.width / Math.max((x1 - x0) * times, least), box.height / Math.max((y1 - y0) * times, least)];
  state.scale = Math.min(...scales, most);
}

export function showAll() {
  const { bounds, plain } = versions.shown;
  const [x0, y0, x1, y1] = plain.extent ?? [MARGIN, MARGIN, 100 - MARGIN, 100 - MARGIN];
  show(bounds ?? [x0 - MARGIN, y0 - MARGIN, x1 + MARGIN, y1 + MARGIN], 1.06, 1, Infinity);
}

// Brings actors into the middle, near enough to see what touches.
export function showActors(ids) {
  const poses = ids.map((id) => versions.shown.pose(id, state.frame)).filter(Boolean);
  const points = poses.flatMap((pose) => {
    const rings = pose.open.flatMap(({ form }) => ringsOf(pose, form)).flat();
    return rings.length ? rings : [[pose.x, pose.y]];
  });
  if (points.length) show(boundsOf(points), 3, 20, 12);
}

export function zoomAt(by, point) {
  const before = toWorld(point);
  state.scale = Math.min(Math.max(state.scale * by, 0.01), 200);
  const after = toWorld(point);
  state.centreX += before[0] - after[0];
  state.centreY += before[1] - after[1];
}

const isKindOff = (kind) => state.off.has(`kind:${versions.shown.kinds[kind].name}`);
function isShown({ role, kind, layers }) {
  const noLayer = layers.length > 0 && layers.every((one) => state.off.has(`layer:${one}`));
  return !state.off.has(`role:${role}`) && !isKindOff(kind) && !noLayer;
}
const isVisible = (pose) => !pose.hidden && !isKindOff(pose.actor.kind);

// The topmost box that is drawn at a place of the world.
export function boxUnder(point) {
  const boxes = boxesAt(versions.shown, state.frame).filter(isShown).reverse();
  return boxes.find((one) => one.rings.some((ring) => isInside(point, ring)));
}

export function drawStage() {
  const [g, wide, high] = fitted(world);
  const version = versions.shown;
  const { frame } = state;
  Object.assign(view, { wide, high });
  const followed = state.follow && version.pose(state.follow, frame);
  if (followed) Object.assign(state, { centreX: followed.x, centreY: followed.y });
  const labels = new Labels(g);
  drawGround(g, version);
  if (versions.old && !state.off.has("old")) drawOld(g, labels);
  const contacts = version.contactsAt(frame);
  const boxes = boxesAt(version, frame).filter(isShown);
  const poses = version.poses(frame).filter(isVisible);
  for (const pose of poses) drawTrail(g, version, pose);
  drawBoxes(g, version, boxes, contacts);
  for (const one of contacts) if (one.frame === frame && one.t < 1) drawTouch(g, version, boxes, one);
  for (const pose of poses) drawActor(g, labels, pose, poses.length);
  for (const one of version.eventsFrom(frame - TRAIL, frame)) if (one.name === "spawn") drawSpawn(g, one);
  for (const one of contacts) drawContact(g, labels, version, boxes, one);
  drawClaims(g, labels, version, boxes);
  const claims = version.claimsAt(frame).length;
  const told = `Frame ${frame}: ${boxes.length} open boxes, ${contacts.length} contacts, ${claims} claims`;
  world.setAttribute("aria-label", told);
}

function gridStep() {
  let step = 10;
  while (step * state.scale < LEAST_GRID) step *= String(step).startsWith("2") ? 2.5 : 2;
  return step;
}

// The grid with its numbers, the bounds and what is solid.
function drawGround(g, version) {
  const { wide, high } = view;
  g.fillStyle = colours.paper;
  g.fillRect(0, 0, wide, high);
  const step = gridStep();
  const [x0, y0, x1, y1] = boundsOf([toWorld([0, 0]), toWorld([wide, high])]);
  Object.assign(g, { font: "10px system-ui", textAlign: "left", textBaseline: "bottom" });
  for (let x = Math.ceil(x0 / step) * step; x < x1; x += step) {
    const [at] = toScreen([x, 0]);
    segment(g, [at, 0], [at, high], colours.grid);
    g.fillStyle = colours.faint;
    g.fillText(String(x), at + 2, high - 1);
  }
  for (let y = Math.ceil(y0 / step) * step; y < y1; y += step) {
    const [, at] = toScreen([0, y]);
    segment(g, [0, at], [wide, at], colours.grid);
    g.fillStyle = colours.faint;
    g.fillText(String(y), 2, at - 1);
  }
  if (version.bounds) {
    const [left, low, right, top] = version.bounds;
    line(
      g,
      onScreen([
        [left, low],
        [right, low],
        [right, top],
        [left, top],
      ]),
      true,
    );
    stroke(g, colours.faint, 1, [9, 4, 2, 4]);
  }
  for (const flat of version.plain.solids) {
    const ring = [];
    for (let k = 0; k < flat.length; k += 2) ring.push([flat[k], flat[k + 1]]);
    line(g, onScreen(ring), true);
    g.fillStyle = colours.grid;
    g.fill();
    stroke(g, colours.faint);
  }
}

// The way that an actor has come.
function drawTrail(g, version, pose) {
  const { id } = pose.actor;
  let before = version.pose(id, state.frame - TRAIL - 1);
  g.beginPath();
  for (let back = TRAIL; back >= 0; back--) {
    const past = version.pose(id, state.frame - back);
    if (past) {
      const isStart = !before || past.cut || back === TRAIL || hasWrapped(version, before, past);
      const [x, y] = toScreen([past.x, past.y]);
      if (isStart) g.moveTo(x, y);
      else g.lineTo(x, y);
    }
    before = past;
  }
  g.globalAlpha = 0.6;
  stroke(g, colours.faint);
  g.globalAlpha = 1;
}

function drawBoxes(g, version, boxes, contacts) {
  const key = (actor, box) => `${actor}\n${box}`;
  const ends = (one) => [key(one.attacker, one.hitbox), key(one.target, one.hurtbox)];
  const touching = new Set(contacts.flatMap(ends));
  for (const role of ["body", "hurtbox", "hitbox"]) {
    for (const box of boxes.filter((one) => one.role === role)) {
      if (box.swept && !box.pose.cut) drawSweep(g, version, box);
      const strong = !box.logged && touching.has(key(box.actor, box.name));
      for (const ring of box.rings) drawRing(g, ring.map(toScreen), role, { logged: box.logged, strong });
    }
  }
}

// Where a swept box was in the frame before, and the way between.
function drawSweep(g, version, box) {
  const before = version.pose(box.actor, state.frame - 1);
  if (!before || hasWrapped(version, before, box.pose)) return;
  const colour = colours[LOOKS[box.role].line];
  g.globalAlpha = 0.45;
  for (const ring of ringsOf(before, box.form)) {
    line(g, onScreen(ring), true);
    stroke(g, colour, 1, [2, 3]);
  }
  segment(g, toScreen([before.x, before.y]), toScreen([box.pose.x, box.pose.y]), colour);
  g.globalAlpha = 1;
}

// A hitbox at the moment within the frame at which it touches.
function drawTouch(g, version, boxes, { attacker, hitbox, t }) {
  const box = boxOf(boxes, attacker, hitbox);
  const before = box && version.pose(attacker, state.frame - 1);
  if (!before || hasWrapped(version, before, box.pose)) return;
  const [dx, dy] = [(box.pose.x - before.x) * (1 - t), (box.pose.y - before.y) * (1 - t)];
  for (const ring of box.rings) {
    line(g, onScreen(ring.map(([x, y]) => [x - dx, y - dy])), true);
    stroke(g, colours.ink, 1.6);
  }
}

const boxOf = (boxes, id, name) => boxes.find((one) => one.actor === id && one.name === name && !one.logged);

// A cross where it is, an arrow for where it looks, and its name.
function drawActor(g, labels, pose, count) {
  const { id, driven } = pose.actor;
  const [x, y] = toScreen([pose.x, pose.y]);
  g.beginPath();
  g.moveTo(x - 4, y);
  g.lineTo(x + 4, y);
  g.moveTo(x, y - 4);
  g.lineTo(x, y + 4);
  if (!driven) {
    const [lookX, lookY] = lookOf(pose);
    const [dx, dy] = [lookX * NOSE, lookY * NOSE * flip()];
    g.moveTo(x, y);
    g.lineTo(x + dx, y + dy);
    g.lineTo(x + dx * 0.7 - dy * 0.25, y + dy * 0.7 + dx * 0.25);
  }
  stroke(g, colours.ink, 1.3);
  const isPicked = state.pair?.includes(id) ?? false;
  if (driven && !isPicked && count >= FEW) return;
  const text = versions.shown.isDown(id, state.frame) ? `${id}, down` : id;
  labels.add(text, [x, y + 8], isPicked ? colours.wrong : colours.ink, isPicked);
}

function drawSpawn(g, { frame, x, y, angle }) {
  if (x === null) return;
  const at = toScreen([x, y]);
  const way = (angle * Math.PI) / 180;
  const dash = frame === state.frame ? [] : [2, 3];
  slantedCross(g, at, 5, colours.muzzle, 1.4, dash);
  const end = [at[0] + Math.cos(way) * 26, at[1] + Math.sin(way) * 26 * flip()];
  segment(g, at, end, colours.muzzle, 1.4, dash);
}

// A contact by the rules: filled if it has landed, else with the first letter of why not.
function drawContact(g, labels, version, boxes, one) {
  const box = boxOf(boxes, one.target, one.hurtbox) ?? boxOf(boxes, one.attacker, one.hitbox);
  const isPlaced = one.frame === state.frame && one.x !== null;
  if (!isPlaced && !box) return;
  const spot = toScreen(isPlaced ? [one.x, one.y] : middleOf(box.rings));
  const landed = one.outcome === "landed";
  diamond(g, spot, landed, landed ? "" : one.outcome[0], landed ? colours.wrong : colours.ink);
  const isMissing = (finding) =>
    finding.code === "hit-missing" && finding.attacker === one.attacker && finding.target === one.target;
  if (!version.findingsAt(state.frame).some(isMissing)) return;
  ringAround(g, spot, 12, colours.wrong);
  labels.add("never claimed", [spot[0], spot[1] - 28], colours.wrong, true);
}

// What the game claims in this frame, above who it is about.
function drawClaims(g, labels, version, boxes) {
  const used = new Set();
  const lifted = new Map();
  for (const claim of version.claimsAt(state.frame)) {
    const id = claim.target ?? claim.id ?? claim.attacker;
    const pose = version.pose(id, state.frame);
    if (!pose) continue;
    const wrong = version.findingsAt(state.frame).find((one) => !used.has(one) && isAbout(one, claim));
    if (wrong) used.add(wrong);
    const own = boxes.filter((one) => one.actor === id).flatMap((one) => one.rings.flat());
    const tops = own.map((point) => toScreen(point)[1]);
    const [x, y] = toScreen([pose.x, pose.y]);
    const lift = lifted.get(id) ?? 0;
    lifted.set(id, lift + 1);
    const top = Math.max(Math.min(y, ...tops) - 14 - lift * 32, 34);
    flag(g, [x, top], wrong !== undefined);
    const what = wrong ? (wrong.code.endsWith("denied") ? ", denied" : ", another frame") : "";
    labels.add(`game: ${claim.event}${what}`, [x, top - 22], wrong ? colours.wrong : colours.right);
  }
}

function isAbout(finding, claim) {
  const isSame = finding.attacker === (claim.attacker ?? "") && finding.target === (claim.target ?? claim.id ?? "");
  return finding.line === claim.line && DENIED.includes(finding.code) && isSame;
}

// The old one of two versions: outlines, and by name who is elsewhere.
function drawOld(g, labels) {
  const { old, shown } = versions;
  for (const box of boxesAt(old, state.frame).filter(isShown)) {
    for (const ring of box.rings) {
      line(g, onScreen(ring), true);
      stroke(g, colours.muzzle, 1.2, OLD_DASH);
    }
  }
  for (const pose of old.poses(state.frame).filter(isVisible)) {
    const now = shown.pose(pose.actor.id, state.frame);
    const at = toScreen([pose.x, pose.y]);
    slantedCross(g, at, 4, colours.muzzle, 1.2);
    const isElsewhere = !now || Math.hypot(now.x - pose.x, now.y - pose.y) > 0.01;
    if (isElsewhere) labels.add(`${pose.actor.id}, old`, [at[0], at[1] - 22], colours.muzzle);
  }
}
