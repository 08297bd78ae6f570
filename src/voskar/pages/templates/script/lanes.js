// Time: lanes of findings, claims, health, i-frames and contacts. What stands still is drawn once and kept.
import { colours, fitted, line, segment } from "./marks.js";
import { element, state, versions } from "./state.js";

export const lanes = element("lanes");
const GUTTER = 118; // pixels of the names on the left
const RIGHT = 8;
const TOP = 18;
const LANE = 32;
const MOST_LANES = 4;
const LEAST_STEP = 55; // pixels between numbers
const kept = { canvas: document.createElement("canvas"), key: "" };
let busiest = { key: "", ids: [] };

export const frameAt = (x) => {
  const box = lanes.getBoundingClientRect();
  return state.from + ((x - box.left - GUTTER) / (box.width - GUTTER - RIGHT)) * (state.until - state.from);
};
const placeOf = (frame, wide) => GUTTER + ((frame - state.from) / (state.until - state.from)) * (wide - GUTTER - RIGHT);
const isWithin = (first, last) => last >= state.from && first <= state.until;

// Whose health is worth a lane: who is selected, then those with lives and with hits.
export function worthALane() {
  const { shown } = versions;
  const key = `${state.pair}|${shown.revision}`;
  if (busiest.key === key) return busiest.ids;
  const picked = (state.pair ?? []).filter((id) => shown.courses[id]);
  const others = Object.keys(shown.courses).filter((id) => {
    return shown.courses[id].health[1].length && !picked.includes(id);
  });
  const hits = new Map();
  for (const one of shown.contacts) {
    if (one.outcome === "landed") hits.set(one.target, (hits.get(one.target) ?? 0) + 1);
  }
  const hasLives = (id) => Number(shown.courses[id].lives[1].length > 0);
  others.sort((a, b) => hasLives(b) - hasLives(a) || (hits.get(b) ?? 0) - (hits.get(a) ?? 0));
  busiest = { key, ids: [...picked, ...others].slice(0, MOST_LANES) };
  return busiest.ids;
}

export function drawLanes() {
  const [g, wide, high] = fitted(lanes);
  const ids = worthALane();
  const { shown, old } = versions;
  const parts = [state.from, state.until, state.finding, ids, shown.revision, shown.last, colours.paper];
  const key = [...parts, old?.revision, lanes.width, lanes.height].join("|");
  if (kept.key !== key) {
    kept.key = key;
    drawAll(g, wide, high, ids);
    Object.assign(kept.canvas, { width: lanes.width, height: lanes.height });
    kept.canvas.getContext("2d").drawImage(lanes, 0, 0);
  } else {
    g.save();
    g.setTransform(1, 0, 0, 1, 0, 0);
    g.drawImage(kept.canvas, 0, 0);
    g.restore();
  }
  const x = placeOf(state.frame, wide);
  if (x >= GUTTER - 1) segment(g, [x, 0], [x, high], colours.ink, 1.5);
}

function drawAll(g, wide, high, ids) {
  const { shown, old } = versions;
  const names = [];
  g.fillStyle = colours.paper;
  g.fillRect(0, 0, wide, high);
  Object.assign(g, { font: "11px system-ui", textBaseline: "middle", textAlign: "center" });
  drawNumbers(g, wide, high);
  g.save();
  g.beginPath();
  g.rect(GUTTER, 0, wide - GUTTER, high);
  g.clip();
  for (const [frame, what] of shown.plain.marks) drawMark(g, wide, high, frame, what, colours.muzzle, [3, 3]);
  const parting = old?.plain.parting;
  if (parting) drawMark(g, wide, high, parting[0], `they part: ${parting[1]}`, colours.wrong, [6, 2]);
  let y = TOP + 9;
  names.push(["findings", y]);
  drawFindings(g, wide, y);
  const both = old ? [shown, old] : [shown];
  for (const version of both) {
    y += 20;
    names.push([version === old ? "claims, old" : "game claims", y]);
    drawClaimMarks(g, wide, y, version.claims, version === old ? colours.muzzle : colours.right);
  }
  y += 22;
  for (const id of ids) {
    for (const version of both) {
      if (y + LANE > high || !version.courses[id]) break;
      names.push([version === old ? `${id}, old` : id, y + LANE / 2 - 6]);
      drawLane(g, wide, y, version, id);
      y += LANE + 4;
    }
  }
  g.restore();
  g.textAlign = "right";
  g.fillStyle = colours.ink;
  for (const [name, at] of names) g.fillText(shortened(g, name), GUTTER - 8, at);
}

function shortened(g, name) {
  let text = name;
  while (g.measureText(text).width > GUTTER - 12 && text.length > 3) text = `${text.slice(0, -2)}…`;
  return text;
}

function drawNumbers(g, wide, high) {
  const pixels = (wide - GUTTER) / (state.until - state.from);
  let step = 1;
  for (let k = 0; step * pixels < LEAST_STEP; k++) step = [1, 2, 5][k % 3] * 10 ** Math.floor(k / 3);
  for (let frame = Math.ceil(state.from / step) * step; frame <= state.until; frame += step) {
    const x = placeOf(frame, wide);
    segment(g, [x, TOP], [x, high], colours.grid);
    g.fillStyle = colours.faint;
    g.fillText(String(frame), x, 8);
  }
}

function drawMark(g, wide, high, frame, what, colour, dash) {
  if (!isWithin(frame, frame)) return;
  const x = placeOf(frame, wide);
  segment(g, [x, TOP], [x, high], colour, 1.6, dash);
  g.fillStyle = colour;
  const isRoom = x + 4 + g.measureText(what).width < wide;
  g.textAlign = isRoom ? "left" : "right";
  g.fillText(what, isRoom ? x + 4 : x - 4, high - 7);
}

// Of marks that would stand on one pixel one is drawn: time is a summary when it is long.
function apart() {
  const taken = new Set();
  return (x) => {
    const pixel = Math.round(x * 2);
    if (taken.has(pixel)) return false;
    taken.add(pixel);
    return true;
  };
}

function drawFindings(g, wide, y) {
  const isFree = apart();
  versions.shown.findings.forEach((one, k) => {
    const x = placeOf(one.frame, wide);
    const isPicked = k === state.finding;
    if (!isWithin(one.frame, one.frame) || !(isFree(x) || isPicked)) return;
    const big = isPicked ? 8 : 6;
    line(
      g,
      [
        [x, y - big],
        [x + big, y + big - 2],
        [x - big, y + big - 2],
      ],
      true,
    );
    g.fillStyle = colours.wrong;
    g.fill();
  });
}

function drawClaimMarks(g, wide, y, claims, colour) {
  const isFree = apart();
  g.strokeStyle = colour;
  g.lineWidth = 1.5;
  for (const { frame } of claims) {
    const x = placeOf(frame, wide);
    if (isWithin(frame, frame) && isFree(x)) g.strokeRect(x - 4, y - 4, 8, 8);
  }
}

// Health by the rules and by the game, what hinders an actor, and what touches it.
function drawLane(g, wide, y, version, id) {
  const course = version.courses[id];
  const full = version.kindOf(id)?.health || 1;
  const low = y + LANE - 12;
  const level = (value) => low - Math.min(Math.max(value / full, 0), 1.15) * (LANE - 14);
  const part = (first, end) => [placeOf(Math.max(first, state.from), wide), placeOf(Math.min(end, state.until), wide)];
  const steps = ([frames, values] = [[], []], draw) => {
    frames.forEach((frame, k) => {
      const end = k + 1 < frames.length ? frames[k + 1] : version.last + 1;
      if (isWithin(frame, end)) draw(...part(frame, end), level(values[k]));
    });
  };
  steps(course.health, (left, right, top) => {
    g.globalAlpha = 0.6;
    g.fillStyle = colours.hurtfill;
    g.fillRect(left, top, right - left, low - top);
    g.globalAlpha = 1;
    segment(g, [left, top], [right, top], colours.hurtbox, 1.4);
  });
  steps(course.game.health, (left, right, top) => {
    segment(g, [left, top - 1], [right, top - 1], colours.right, 1.6, [4, 3]);
  });
  const bars = (spans, top, colour, faint) => {
    for (const [first, last] of spans) {
      if (!isWithin(first, last + 1)) continue;
      const [left, right] = part(first, last + 1);
      const broad = Math.max(right - left, 1);
      g.globalAlpha = faint ? 0.35 : 0.85;
      g.fillStyle = colour;
      g.fillRect(left, top, broad, 5);
      g.globalAlpha = 1;
      g.strokeStyle = colour;
      g.lineWidth = 1;
      if (faint) g.strokeRect(left, top, broad, 5);
    }
  };
  bars(course.immune, low + 1, colours.muzzle, true);
  bars(course.stunned, low + 1, colours.hitbox, true);
  bars(course.frozen, low - 3, colours.ink, true);
  bars(course.down, low + 1, colours.ink, false);
  const isFree = { landed: apart(), other: apart() };
  for (const one of version.contacts) {
    if (one.target !== id || !isWithin(one.frame, one.until)) continue;
    const [left, right] = part(one.frame, one.until + 1);
    if (one.outcome === "landed") {
      if (isFree.landed(left)) segment(g, [left, y], [left, low], colours.wrong, 2);
    } else if (right - left > 1 || isFree.other(left)) {
      g.fillStyle = colours.faint;
      g.fillRect(left, low + 7, Math.max(right - left, 1), 2);
    }
  }
}
