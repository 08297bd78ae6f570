"use strict";
// The player of one recording. Texts from files only ever become text nodes.
const $ = (id) => document.getElementById(id);
const make = (tag, text, className) => {
  const node = document.createElement(tag);
  if (text !== undefined) node.textContent = text;
  if (className) node.className = className;
  return node;
};
const TRAIL = 12, SPEEDS = [0.125, 0.25, 0.5, 1, 2, 4], ROWS = 400;
let D, C, actorOf, colours = {}, NEW, OLD = null; // NEW is what the page is about, OLD the other one of two versions
const use = (side) => { ({ D, C, actorOf } = side); };
const withOld = (act) => { use(OLD); try { return act(); } finally { use(NEW); } };
const S = { frame: 0, playing: false, speed: 1, pair: null, finding: -1, tab: "findings", follow: "", cx: 0, cy: 0, scale: 1, t0: 0, t1: 1, off: new Set(), down: null };

// ---- the data: one block, columns behind a text
async function unpacked(id) {
  const packed = Uint8Array.from(atob($(id).textContent), (one) => one.charCodeAt(0));
  const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("deflate"));
  const bytes = new Uint8Array(await new Response(stream).arrayBuffer());
  const size = new DataView(bytes.buffer).getUint32(0, true);
  const D = JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + size))), C = {};
  let at = 4 + size;
  for (const { name, type, rows, width } of D.columns) {
    const whole = new Uint8Array(rows * width);
    for (let plane = 0; plane < width; plane++)
      for (let row = 0; row < rows; row++) whole[row * width + plane] = bytes[at + plane * rows + row];
    at += rows * width;
    C[name] = new { i4: Int32Array, u4: Uint32Array, i2: Int16Array, u1: Uint8Array }[type](whole.buffer);
  }
  for (const name of ["x", "y"]) for (let row = 1; row < C[name].length; row++) C[name][row] += C[name][row - 1];
  return { D, C, actorOf: new Map(D.actors.map((actor, number) => [actor.id, number])) };
}
async function load() {
  NEW = await unpacked("data");
  if ($("other")) OLD = await unpacked("other");
  use(NEW);
}
function rowOf(actor, frame) {
  const spans = actor.spans;
  let low = 0, high = spans.length - 1;
  while (low <= high) {
    const mid = (low + high) >> 1, [first, count, row] = spans[mid];
    if (frame < first) high = mid - 1;
    else if (frame >= first + count) low = mid + 1;
    else return row + frame - first;
  }
  return -1;
}
const placeOf = (row) => [C.x[row] / D.unit, C.y[row] / D.unit];
function matrixOf(row) {
  const [facing, angle, scale] = D.turns[C.turn[row]], wide = facing * scale;
  if (angle === 0) return [wide, 0, 0, scale];
  let x = Math.cos((angle * Math.PI) / 180), y = Math.sin((angle * Math.PI) / 180);
  if (angle % 90 === 0) { x = Math.round(x); y = Math.round(y); }
  return [x * wide, -y * scale, y * wide, x * scale];
}
function ringsOf(row, form) {
  const [x, y] = placeOf(row), [a, b, c, d] = matrixOf(row);
  return D.forms[form].map((flat) => {
    const ring = [];
    for (let k = 0; k < flat.length; k += 2) ring.push([x + a * flat[k] + b * flat[k + 1], y + c * flat[k] + d * flat[k + 1]]);
    return ring;
  });
}
const isDown = (id, frame) => { const one = D.courses[id]; return !!one && one.down.some(([first, last]) => first <= frame && frame <= last); };
// what of a box that sticks out over edges that are one comes in again on the other side
function overTheEdges(rings) {
  const [lowX, lowY, highX, highY] = D.bounds, all = rings.flat(), xs = all.map((p) => p[0]), ys = all.map((p) => p[1]), found = [];
  const x0 = Math.min(...xs), x1 = Math.max(...xs), y0 = Math.min(...ys), y1 = Math.max(...ys);
  for (const across of [-1, 0, 1]) for (const along of [-1, 0, 1]) {
    const dx = across * (highX - lowX), dy = along * (highY - lowY);
    if ((across || along) && x0 + dx < highX && x1 + dx > lowX && y0 + dy < highY && y1 + dy > lowY) found.push(rings.map((ring) => ring.map(([x, y]) => [x + dx, y + dy])));
  }
  return found;
}
// whether one went over such an edge between two poses: the way is not what lies between them
const wrapped = (actor, before, row) => D.kinds[actor.kind].wraps && D.bounds && placeOf(row).some((value, axis) => Math.abs(value - placeOf(before)[axis]) > (D.bounds[axis + 2] - D.bounds[axis]) / 2);
// every open box of a frame, where it is in the world
function boxesAt(frame) {
  const found = [];
  for (const actor of D.actors) {
    const row = rowOf(actor, frame);
    if (row < 0 || C.flags[row] & 1 || isDown(actor.id, frame)) continue;
    for (const [place, form] of D.looks[C.look[row]]) {
      const box = D.kinds[actor.kind].boxes[place];
      const one = { actor: actor.id, kind: actor.kind, name: box.name, role: box.role, layers: box.layers, swept: box.swept || actor.driven, row, form, rings: ringsOf(row, form) };
      found.push(one);
      if (D.kinds[actor.kind].wraps && D.bounds) for (const rings of overTheEdges(one.rings)) found.push({ ...one, swept: false, rings });
    }
  }
  for (const [at, id, name, ...told] of loggedAt(frame)) {
    const actor = D.actors[actorOf.get(id)], own = actor && D.kinds[actor.kind].boxes.find((one) => one.name === name);
    const [x0, y0, x1, y1] = told, rings = told.length === 1 ? told[0] : [[[x0, y0], [x1, y0], [x1, y1], [x0, y1]]];
    if (actor) found.push({ actor: id, kind: actor.kind, name, role: own ? own.role : "body", layers: own ? own.layers : [], logged: true, row: -1, rings });
  }
  return found;
}
const lower = (list, frame, key) => { let low = 0, high = list.length; while (low < high) { const mid = (low + high) >> 1; if (key(list[mid]) < frame) low = mid + 1; else high = mid; } return low; };
const loggedAt = (frame) => D.logged.slice(lower(D.logged, frame, (one) => one[0]), lower(D.logged, frame + 1, (one) => one[0]));
let longest = 0;
const contactsAt = (frame) => { const found = []; for (let k = lower(D.contacts, frame + 1, (one) => one[0]) - 1; k >= 0 && D.contacts[k][0] >= frame - longest; k--) if (D.contacts[k][1] >= frame) found.push(D.contacts[k]); return found.reverse(); };
const claimsAt = (frame) => D.claims.slice(lower(D.claims, frame, (one) => one.frame), lower(D.claims, frame + 1, (one) => one.frame));
const now = (steps, frame) => { if (!steps) return undefined; const k = lower(steps[0], frame + 1, (one) => one); return k ? steps[1][k - 1] : undefined; };

// ---- the stage
const world = $("world"), lanes = $("lanes");
function readColours() {
  const style = getComputedStyle(document.documentElement);
  for (const name of ["paper", "card", "ink", "faint", "grid", "hitbox", "hitfill", "hurtbox", "hurtfill", "body", "muzzle", "wrong", "right", "pick"]) colours[name] = style.getPropertyValue("--" + name).trim();
}
function fitted(canvas) {
  const ratio = devicePixelRatio || 1, box = canvas.getBoundingClientRect();
  const wide = Math.max(1, Math.round(box.width * ratio)), high = Math.max(1, Math.round(box.height * ratio));
  if (canvas.width !== wide || canvas.height !== high) { canvas.width = wide; canvas.height = high; }
  const g = canvas.getContext("2d");
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  return [g, box.width, box.height];
}
const flip = () => (D.up === "+y" ? -1 : 1);
function extent() {
  if (D.bounds) return D.bounds;
  let x0 = Infinity, y0 = Infinity, x1 = -Infinity, y1 = -Infinity;
  for (let row = 0; row < C.x.length; row++) { x0 = Math.min(x0, C.x[row]); x1 = Math.max(x1, C.x[row]); y0 = Math.min(y0, C.y[row]); y1 = Math.max(y1, C.y[row]); }
  const margin = 40;
  return isFinite(x0) ? [x0 / D.unit - margin, y0 / D.unit - margin, x1 / D.unit + margin, y1 / D.unit + margin] : [0, 0, 100, 100];
}
function fit() {
  const [x0, y0, x1, y1] = extent(), box = world.getBoundingClientRect();
  S.cx = (x0 + x1) / 2; S.cy = (y0 + y1) / 2;
  S.scale = Math.min(box.width / Math.max((x1 - x0) * 1.06, 1), box.height / Math.max((y1 - y0) * 1.06, 1));
  draw();
}
let wide = 1, high = 1;
const toScreen = ([x, y]) => [wide / 2 + (x - S.cx) * S.scale, high / 2 + (y - S.cy) * S.scale * flip()];
const toWorld = (x, y) => [S.cx + (x - wide / 2) / S.scale, S.cy + ((y - high / 2) / S.scale) * flip()];
function path(g, ring, close = true) {
  g.beginPath();
  ring.forEach((point, k) => { const [x, y] = toScreen(point); if (k) g.lineTo(x, y); else g.moveTo(x, y); });
  if (close) g.closePath();
}
function strokes(g, ring, colour) {
  g.save(); path(g, ring); g.clip(); g.strokeStyle = colour; g.lineWidth = 1; g.setLineDash([]); g.beginPath();
  const points = ring.map(toScreen), xs = points.map((p) => p[0]), ys = points.map((p) => p[1]);
  const x0 = Math.min(...xs), x1 = Math.max(...xs), y0 = Math.min(...ys), y1 = Math.max(...ys), high = y1 - y0;
  if (x1 - x0 < 4000) for (let x = x0 - high; x < x1; x += 7) { g.moveTo(x, y1); g.lineTo(x + high, y0); }
  g.stroke(); g.restore();
}
const LOOKS = { hitbox: { line: "hitbox", fill: "hitfill", dash: [], width: 1.8 }, hurtbox: { line: "hurtbox", fill: "hurtfill", dash: [6, 3], width: 1.6 }, body: { line: "body", fill: null, dash: [1.5, 3], width: 1.2 } };
function drawBox(g, box, strong) {
  const look = LOOKS[box.role];
  for (const ring of box.rings) {
    path(g, ring);
    if (box.logged) { g.setLineDash([7, 3, 1.5, 3]); g.strokeStyle = colours[look.line]; g.lineWidth = 1.4; g.stroke(); continue; }
    if (look.fill) { g.globalAlpha = 0.55; g.fillStyle = colours[look.fill]; g.fill(); g.globalAlpha = 1; }
    if (box.role === "hitbox") strokes(g, ring, colours[look.line]);
    path(g, ring); g.setLineDash(look.dash); g.strokeStyle = colours[look.line]; g.lineWidth = strong ? look.width + 1.6 : look.width; g.stroke();
  }
  g.setLineDash([]);
}
const centreOf = (rings) => { const all = rings.flat(); return [all.reduce((sum, p) => sum + p[0], 0) / all.length, all.reduce((sum, p) => sum + p[1], 0) / all.length]; };
function diamond(g, [x, y], filled, letter, colour) {
  const r = 7;
  g.beginPath(); g.moveTo(x, y - r); g.lineTo(x + r, y); g.lineTo(x, y + r); g.lineTo(x - r, y); g.closePath();
  g.fillStyle = filled ? colour : colours.paper; g.fill(); g.strokeStyle = colour; g.lineWidth = 1.6; g.stroke();
  if (letter) { g.fillStyle = colours.ink; g.font = "bold 9px system-ui"; g.textAlign = "center"; g.textBaseline = "middle"; g.fillText(letter, x, y + 0.5); }
}
function flag(g, [x, y], denied) {
  g.fillStyle = colours.paper; g.strokeStyle = denied ? colours.wrong : colours.right; g.lineWidth = 2; g.beginPath(); g.rect(x - 6, y - 6, 12, 12); g.fill(); g.stroke();
  if (denied) { g.beginPath(); g.moveTo(x - 4, y - 4); g.lineTo(x + 4, y + 4); g.moveTo(x + 4, y - 4); g.lineTo(x - 4, y + 4); g.stroke(); }
}
let taken = [];
function label(g, text, x, y, colour, bold) {
  g.font = `${bold ? "bold " : ""}12px system-ui`; g.textAlign = "center"; g.textBaseline = "top";
  const half = g.measureText(text).width / 2 + 2;
  for (let tries = 0; tries < 5; tries++, y += 13) if (!taken.some((one) => Math.abs(one[0] - x) < one[2] + half && Math.abs(one[1] - y) < 12)) break;
  taken.push([x, y, half]);
  g.lineWidth = 3; g.strokeStyle = colours.paper; g.lineJoin = "round"; g.strokeText(text, x, y); g.fillStyle = colour; g.fillText(text, x, y);
}
const shown = (box) => !S.off.has("role:" + box.role) && !S.off.has("kind:" + D.kinds[box.kind].name) && !(box.layers.length && box.layers.every((one) => S.off.has("layer:" + one)));
const related = (frame) => D.findings.flatMap((one) => [one, ...one.follows]).filter((one) => one.frame === frame || one.at === frame);
function drawStage() {
  const [g, w, h] = fitted(world);
  wide = w; high = h; taken = [];
  const follow = S.follow && D.actors[actorOf.get(S.follow)];
  if (follow) { const row = rowOf(follow, S.frame); if (row >= 0) [S.cx, S.cy] = placeOf(row); }
  g.fillStyle = colours.paper; g.fillRect(0, 0, w, h);
  let step = 10; while (step * S.scale < 60) step *= step.toString()[0] === "2" ? 2.5 : 2;
  const [ax, ay] = toWorld(0, 0), [bx, by] = toWorld(w, h);
  g.strokeStyle = colours.grid; g.lineWidth = 1; g.fillStyle = colours.faint; g.font = "10px system-ui"; g.textAlign = "left"; g.textBaseline = "bottom";
  for (let x = Math.ceil(Math.min(ax, bx) / step) * step; x < Math.max(ax, bx); x += step) { const [sx] = toScreen([x, 0]); g.beginPath(); g.moveTo(sx, 0); g.lineTo(sx, h); g.stroke(); g.fillText(String(x), sx + 2, h - 1); }
  for (let y = Math.ceil(Math.min(ay, by) / step) * step; y < Math.max(ay, by); y += step) { const [, sy] = toScreen([0, y]); g.beginPath(); g.moveTo(0, sy); g.lineTo(w, sy); g.stroke(); g.fillText(String(y), 2, sy - 1); }
  if (D.bounds) { const [x0, y0, x1, y1] = D.bounds; path(g, [[x0, y0], [x1, y0], [x1, y1], [x0, y1]]); g.setLineDash([9, 4, 2, 4]); g.strokeStyle = colours.faint; g.stroke(); g.setLineDash([]); }
  for (const flat of D.solids) { const ring = []; for (let k = 0; k < flat.length; k += 2) ring.push([flat[k], flat[k + 1]]); path(g, ring); g.fillStyle = colours.grid; g.fill(); g.strokeStyle = colours.faint; g.stroke(); }
  if (OLD && !S.off.has("old")) drawOld(g);
  const contacts = contactsAt(S.frame), boxes = boxesAt(S.frame).filter(shown);
  const touching = new Set(contacts.flatMap((one) => [one[2] + "\n" + one[3], one[4] + "\n" + one[5]]));
  const boxOf = (id, name) => boxes.find((one) => one.actor === id && one.name === name && !one.logged);
  for (const actor of D.actors) {
    const row = rowOf(actor, S.frame);
    if (row < 0 || C.flags[row] & 1 || S.off.has("kind:" + D.kinds[actor.kind].name)) continue;
    g.strokeStyle = colours.faint; g.lineWidth = 1; g.globalAlpha = 0.6; g.beginPath();
    for (let back = TRAIL; back >= 0; back--) {
      const past = rowOf(actor, S.frame - back);
      if (past < 0) continue;
      const [x, y] = toScreen(placeOf(past));
      const before = rowOf(actor, S.frame - back - 1);
      if (C.flags[past] & 2 || before < 0 || back === TRAIL || wrapped(actor, before, past)) g.moveTo(x, y); else g.lineTo(x, y);
    }
    g.stroke(); g.globalAlpha = 1;
  }
  for (const role of ["body", "hurtbox", "hitbox"]) for (const box of boxes) if (box.role === role) {
    if (box.swept && box.row >= 0 && !(C.flags[box.row] & 2)) {
      const actor = D.actors[actorOf.get(box.actor)], before = rowOf(actor, S.frame - 1);
      if (before >= 0 && !wrapped(actor, before, box.row)) { g.globalAlpha = 0.45; for (const ring of ringsOf(before, box.form)) { path(g, ring); g.setLineDash([2, 3]); g.strokeStyle = colours[LOOKS[box.role].line]; g.lineWidth = 1; g.stroke(); } g.setLineDash([]); const a = toScreen(placeOf(before)), b = toScreen(placeOf(box.row)); g.beginPath(); g.moveTo(...a); g.lineTo(...b); g.stroke(); g.globalAlpha = 1; }
    }
    drawBox(g, box, touching.has(box.actor + "\n" + box.name) && !box.logged);
  }
  for (const one of contacts) if (one[0] === S.frame && one[8] < 1) { // the shape at the moment of touch
    const actor = D.actors[actorOf.get(one[2])], box = boxOf(one[2], one[3]), before = box && rowOf(actor, S.frame - 1);
    if (!box || before < 0 || wrapped(actor, before, box.row)) continue;
    const [x0, y0] = placeOf(before), [x1, y1] = placeOf(box.row), t = one[8];
    for (const ring of box.rings) { path(g, ring.map(([x, y]) => [x - (x1 - x0) * (1 - t), y - (y1 - y0) * (1 - t)])); g.strokeStyle = colours.ink; g.lineWidth = 1.6; g.stroke(); }
  }
  for (const actor of D.actors) {
    const row = rowOf(actor, S.frame);
    if (row < 0 || C.flags[row] & 1 || S.off.has("kind:" + D.kinds[actor.kind].name)) continue;
    const [x, y] = toScreen(placeOf(row)), [a, , c] = matrixOf(row), size = Math.hypot(a, c) || 1, big = !actor.driven;
    g.strokeStyle = colours.ink; g.lineWidth = 1.3; g.beginPath(); g.moveTo(x - 4, y); g.lineTo(x + 4, y); g.moveTo(x, y - 4); g.lineTo(x, y + 4);
    if (big) { const dx = (a / size) * 16, dy = (c / size) * 16 * flip(); g.moveTo(x, y); g.lineTo(x + dx, y + dy); g.lineTo(x + dx * 0.7 - dy * 0.25, y + dy * 0.7 + dx * 0.25); }
    g.stroke();
    const picked = S.pair && (S.pair[0] === actor.id || S.pair[1] === actor.id);
    if (big || picked || D.actors.length < 20) label(g, actor.id + (isDown(actor.id, S.frame) ? ", down" : ""), x, y + 8, picked ? colours.wrong : colours.ink, picked);
  }
  for (const [at, name, id, , detail, x, y, angle] of D.events) {
    if (name !== "spawn" || at > S.frame || at < S.frame - TRAIL || x === null) continue;
    const [sx, sy] = toScreen([x, y]), way = (angle * Math.PI) / 180;
    g.strokeStyle = colours.muzzle; g.lineWidth = 1.4; g.setLineDash(at === S.frame ? [] : [2, 3]); g.beginPath(); g.moveTo(sx - 5, sy - 5); g.lineTo(sx + 5, sy + 5); g.moveTo(sx - 5, sy + 5); g.lineTo(sx + 5, sy - 5); g.moveTo(sx, sy); g.lineTo(sx + Math.cos(way) * 26, sy + Math.sin(way) * 26 * flip()); g.stroke(); g.setLineDash([]);
  }
  const findings = related(S.frame);
  for (const one of contacts) {
    const box = boxOf(one[4], one[5]) || boxOf(one[2], one[3]);
    const at = one[0] === S.frame && one[9] !== null ? [one[9], one[10]] : box ? centreOf(box.rings) : null;
    if (!at) continue;
    const landed = one[7] === "landed", spot = toScreen(at);
    diamond(g, spot, landed, landed ? "" : one[7][0], landed ? colours.wrong : colours.ink);
    const missing = findings.find((f) => f.code === "hit-missing" && f.attacker === one[2] && f.target === one[4]);
    if (missing) { g.beginPath(); g.arc(spot[0], spot[1], 12, 0, 7); g.strokeStyle = colours.wrong; g.lineWidth = 2; g.stroke(); label(g, "never claimed", spot[0], spot[1] - 28, colours.wrong, true); }
  }
  const used = new Set(), lifted = new Map();
  claimsAt(S.frame).forEach((claim) => {
    const id = claim.target || claim.id || claim.attacker, actor = D.actors[actorOf.get(id)], row = actor ? rowOf(actor, S.frame) : -1;
    if (row < 0) return;
    const wrong = findings.find((f) => !used.has(f) && f.line === claim.line && ["hit-denied", "hit-moved", "event-denied", "event-moved"].includes(f.code) && (f.attacker || "") === (claim.attacker || "") && f.target === (claim.target || claim.id || ""));
    if (wrong) used.add(wrong);
    const tops = boxes.filter((one) => one.actor === id).flatMap((one) => one.rings.flat()).map((point) => toScreen(point)[1]);
    const [x, y] = toScreen(placeOf(row)), lift = lifted.get(id) || 0, spot = [x, Math.max(Math.min(y, ...tops) - 14 - lift * 32, 34)];
    lifted.set(id, lift + 1);
    flag(g, spot, !!wrong);
    label(g, `game: ${claim.event}` + (wrong ? (wrong.code.endsWith("hit-denied") ? ", denied" : ", another frame") : ""), spot[0], spot[1] - 22, wrong ? colours.wrong : colours.right, false);
  });
  world.setAttribute("aria-label", `Frame ${S.frame}: ${boxes.length} open boxes, ${contacts.length} contacts, ${claimsAt(S.frame).length} claims`);
}

// the old one of two versions: outlines, and who is elsewhere by name
function drawOld(g) {
  const places = new Map(D.actors.map((actor) => [actor.id, rowOf(actor, S.frame)]).filter(([, row]) => row >= 0).map(([id, row]) => [id, placeOf(row)]));
  withOld(() => {
    g.strokeStyle = colours.muzzle; g.lineWidth = 1.2; g.setLineDash([4, 2, 1, 2]);
    for (const box of boxesAt(S.frame).filter(shown)) for (const ring of box.rings) { path(g, ring); g.stroke(); }
    g.setLineDash([]);
    for (const actor of D.actors) {
      const row = rowOf(actor, S.frame), at = places.get(actor.id);
      if (row < 0 || C.flags[row] & 1 || S.off.has("kind:" + D.kinds[actor.kind].name)) continue;
      const [x, y] = placeOf(row), [sx, sy] = toScreen([x, y]);
      g.beginPath(); g.moveTo(sx - 4, sy - 4); g.lineTo(sx + 4, sy + 4); g.moveTo(sx + 4, sy - 4); g.lineTo(sx - 4, sy + 4); g.stroke();
      if (!at || Math.hypot(at[0] - x, at[1] - y) > 0.01) label(g, `${actor.id}, old`, sx, sy - 22, colours.muzzle, false);
    }
  });
}

// ---- time
let laneRows = [];
const GUTTER = 118, TOP = 18, LANE = 32;
const xOf = (frame, w) => GUTTER + ((frame - S.t0) / (S.t1 - S.t0)) * (w - GUTTER - 8);
function chosen() {
  const first = S.pair ? S.pair.filter((id) => D.courses[id]) : [];
  const worth = Object.keys(D.courses).filter((id) => D.courses[id].health[1].length && !first.includes(id));
  const busy = new Map();
  for (const one of D.contacts) if (one[7] === "landed") busy.set(one[4], (busy.get(one[4]) || 0) + 1);
  worth.sort((a, b) => (D.courses[b].lives[1].length > 0) - (D.courses[a].lives[1].length > 0) || (busy.get(b) || 0) - (busy.get(a) || 0));
  return [...first, ...worth].slice(0, 4);
}
function drawLanes() {
  const [g, w, h] = fitted(lanes);
  g.fillStyle = colours.paper; g.fillRect(0, 0, w, h);
  g.font = "11px system-ui"; g.textBaseline = "middle";
  const span = S.t1 - S.t0, inside = (a, b) => b >= S.t0 && a <= S.t1;
  let step = 1; const nice = [1, 2, 5]; for (let k = 0; step * ((w - GUTTER) / span) < 55; k++) step = nice[k % 3] * 10 ** Math.floor(k / 3);
  g.textAlign = "center"; g.fillStyle = colours.faint; g.strokeStyle = colours.grid;
  for (let f = Math.ceil(S.t0 / step) * step; f <= S.t1; f += step) { const x = xOf(f, w); g.beginPath(); g.moveTo(x, TOP); g.lineTo(x, h); g.stroke(); g.fillText(String(f), x, 8); }
  g.save(); g.beginPath(); g.rect(GUTTER, 0, w - GUTTER, h); g.clip();
  let y = TOP + 9; laneRows = [];
  const tick = (frame, up, down, colour, width = 1.6) => { if (!inside(frame, frame)) return; const x = xOf(frame, w); g.strokeStyle = colour; g.lineWidth = width; g.beginPath(); g.moveTo(x, up); g.lineTo(x, down); g.stroke(); };
  for (const [frame, what] of D.marks) if (inside(frame, frame)) { const x = xOf(frame, w); g.setLineDash([3, 3]); tick(frame, TOP, h, colours.muzzle); g.setLineDash([]); g.fillStyle = colours.muzzle; g.textAlign = "left"; g.fillText(what, x + 3, h - 7); }
  if (OLD && OLD.D.parting) { const [frame, what] = OLD.D.parting; if (inside(frame, frame)) { g.setLineDash([6, 2]); tick(frame, TOP, h, colours.wrong); g.setLineDash([]); g.fillStyle = colours.wrong; g.textAlign = "left"; g.fillText(`they part: ${what}`, xOf(frame, w) + 4, h - 7); } }
  laneRows.push(["findings", y]);
  D.findings.forEach((one, k) => { if (!inside(one.frame, one.frame)) return; const x = xOf(one.frame, w), big = k === S.finding ? 8 : 6; g.fillStyle = colours.wrong; g.beginPath(); g.moveTo(x, y - big); g.lineTo(x + big, y + big - 2); g.lineTo(x - big, y + big - 2); g.closePath(); g.fill(); });
  for (const [side, name] of OLD ? [[NEW, "game claims"], [OLD, "claims, old"]] : [[NEW, "game claims"]]) {
    y += 20; laneRows.push([name, y]);
    for (const one of side.D.claims) if (inside(one.frame, one.frame)) { const x = xOf(one.frame, w); g.strokeStyle = side === NEW ? colours.right : colours.muzzle; g.lineWidth = 1.5; g.strokeRect(x - 4, y - 4, 8, 8); }
  }
  y += 22;
  for (const id of chosen()) for (const side of OLD ? [NEW, OLD] : [NEW]) {
    if (y + LANE > h || !side.D.courses[id]) break;
    lane(side, id);
  }
  function lane(side, id) {
    use(side);
    const one = D.courses[id], full = D.kinds[D.actors[actorOf.get(id)] ? D.actors[actorOf.get(id)].kind : 0].health || 1, low = y + LANE - 12, level = (value) => low - Math.min(Math.max(value / full, 0), 1.15) * (LANE - 14);
    laneRows.push([side === NEW ? id : `${id}, old`, y + LANE / 2 - 6, id]);
    const steps = (pair, draw) => { const [frames, values] = pair || [[], []]; for (let k = 0; k < frames.length; k++) { const end = k + 1 < frames.length ? frames[k + 1] : D.last + 1; if (inside(frames[k], end)) draw(xOf(Math.max(frames[k], S.t0), w), xOf(Math.min(end, S.t1), w), values[k], k); } };
    steps(one.health, (a, b, value) => { g.globalAlpha = 0.6; g.fillStyle = colours.hurtfill; g.fillRect(a, level(value), b - a, low - level(value)); g.globalAlpha = 1; g.strokeStyle = colours.hurtbox; g.lineWidth = 1.4; g.beginPath(); g.moveTo(a, level(value)); g.lineTo(b, level(value)); g.stroke(); });
    steps(one.game.health, (a, b, value) => { g.strokeStyle = colours.right; g.lineWidth = 1.6; g.setLineDash([4, 3]); g.beginPath(); g.moveTo(a, level(value) - 1); g.lineTo(b, level(value) - 1); g.stroke(); g.setLineDash([]); });
    const bar = (spans, top, colour, hatch) => { for (const [a, b] of spans) if (inside(a, b + 1)) { const x0 = xOf(Math.max(a, S.t0), w), x1 = xOf(Math.min(b + 1, S.t1), w); g.fillStyle = colour; g.globalAlpha = hatch ? 0.35 : 0.85; g.fillRect(x0, top, Math.max(x1 - x0, 1), 5); g.globalAlpha = 1; if (hatch) { g.strokeStyle = colour; g.lineWidth = 1; g.strokeRect(x0, top, Math.max(x1 - x0, 1), 5); } } };
    bar(one.immune, low + 1, colours.muzzle, true); bar(one.stunned, low + 1, colours.hitbox, true); bar(one.frozen, low - 3, colours.ink, true); bar(one.down, low + 1, colours.ink, false);
    for (let k = 0; k < D.contacts.length; k++) { const c = D.contacts[k]; if (c[4] !== id || !inside(c[0], c[1])) continue; if (c[7] === "landed") tick(c[0], y, low, colours.wrong, 2); else { const x0 = xOf(Math.max(c[0], S.t0), w), x1 = xOf(Math.min(c[1] + 1, S.t1), w); g.fillStyle = colours.faint; g.fillRect(x0, low + 7, Math.max(x1 - x0, 1), 2); } }
    y += LANE + 4;
    use(NEW);
  }
  g.restore(); g.textAlign = "right";
  for (const [name, at] of laneRows) { g.fillStyle = colours.ink; let text = name; while (g.measureText(text).width > GUTTER - 12 && text.length > 3) text = text.slice(0, -2) + "…"; g.fillText(text, GUTTER - 8, at); }
  const x = xOf(S.frame, w);
  if (x >= GUTTER - 1) { g.strokeStyle = colours.ink; g.lineWidth = 1.5; g.beginPath(); g.moveTo(x, 0); g.lineTo(x, h); g.stroke(); }
}

// ---- this frame
const tell = (value) => (value === undefined || value === null ? "" : String(Math.round(value * 1000) / 1000));
function drawFacts() {
  $("now").textContent = `frame ${S.frame}, ${((S.frame - D.whole[0]) / D.rate).toFixed(3)} s`;
  if ($("frame") !== document.activeElement) $("frame").value = S.frame;
  const gates = $("gates"), standing = $("standing");
  gates.replaceChildren(); standing.replaceChildren();
  if (S.finding >= 0) {
    const one = D.findings[S.finding];
    gates.append(make("h2", `${one.code} in ${one.frame}`), make("p", `game: ${one.game}`), make("p", `rules: ${one.rules}`));
    gates.append(make("code", one.why.map(quoted).join(" "), "command"));
  }
  if (S.pair && S.pair[0] && S.pair[1]) {
    const [attacker, target] = S.pair, running = contactsAt(S.frame).filter((one) => one[2] === attacker && one[4] === target);
    const at = D.gates[`${S.frame}|${attacker}|${target}`] ? S.frame : running.map((one) => one[0]).find((frame) => D.gates[`${frame}|${attacker}|${target}`]);
    gates.append(make("h2", `${attacker} on ${target}${at !== undefined && at !== S.frame ? `, as in ${at}` : ""}`));
    for (const one of at === undefined ? [] : D.gates[`${at}|${attacker}|${target}`]) {
      const table = make("table"), body = make("tbody");
      table.append(make("caption", one.hitbox ? `${one.hitbox} on ${one.hurtbox}, ${one.attack}: ${one.gate}` : one.gate), body);
      let stopped = false;
      for (const [gate, passed, text, ...more] of one.steps) {
        const line = make("tr"), cell = make("td", text), verdict = passed ? (stopped ? "would pass" : "pass") : stopped ? "would stop" : "STOP";
        if (more.length) cell.append(make("pre", more.join("\n"), "mono"));
        line.append(make("th", gate), make("td", verdict, passed ? "gate-pass" : "gate-stop"), cell);
        body.append(line); stopped = stopped || !passed;
      }
      gates.append(table);
    }
    if (at === undefined) gates.append(make("p", "its gates in this frame:"));
    gates.append(make("code", ["voskar", "why", D.rulebook, D.recording, "--frame", String(at === undefined ? S.frame : at), "--attacker", attacker, "--target", target].map(quoted).join(" "), "command"));
  }
  const run = Math.max(...D.runs.filter((one) => one <= S.frame), D.runs[0]), end = D.ends.find(([frame]) => run <= frame && frame <= S.frame);
  const general = [["clock", `${(((end ? end[0] : S.frame) - run) / D.rate).toFixed(2)} s${end ? `, ${end[1]}` : ""}`]];
  for (const [who, steps] of Object.entries(D.score)) general.push([`score ${who}`, tell(now(steps, S.frame))]);
  for (const one of D.display.filter((d) => d.frame === S.frame)) general.push(["game's display", Object.entries(one).filter(([key]) => key !== "frame").map(([key, value]) => `${key} ${value}`).join(", ")]);
  standing.append(tableOf("", general));
  for (const claim of claimsAt(S.frame)) standing.append(make("p", `game claims ${claim.event}: ${[claim.attacker, claim.target || claim.id].filter(Boolean).join(" on ")}${claim.case ? `, ${claim.case}` : ""}${claim.damage === undefined ? "" : `, damage ${claim.damage}`}`));
  for (const event of D.events) if (event[0] === S.frame) standing.append(make("p", `${event[1]}: ${event[3]}`));
  const ids = [...new Set([...(S.pair || []), S.follow, ...chosen().slice(0, 3)])].filter((id) => id && actorOf.has(id));
  for (const id of ids) {
    const actor = D.actors[actorOf.get(id)], row = rowOf(actor, S.frame), one = D.courses[id], lines = [];
    if (row < 0) lines.push(["", "no pose in this frame"]);
    else {
      const [x, y] = placeOf(row);
      lines.push(["place", `(${tell(x)}, ${tell(y)})${C.z ? `, z ${tell(C.z[row] / D.unit)}` : ""}${C.flags[row] & 1 ? ", hidden" : ""}${C.flags[row] & 2 ? ", cut" : ""}${C.flags[row] & 4 ? ", lingering" : ""}`]);
      if (C.clip[row] >= 0) lines.push(["clip", `${D.clips[C.clip[row]]}, cell ${C.cell[row]}`]);
    }
    if (one) {
      for (const column of ["health", "lives"]) if (one[column][1].length) {
        const rules = now(one[column], S.frame), game = now(one.game[column], S.frame);
        lines.push([column, game === undefined ? tell(rules) : `${tell(rules)}, game ${tell(game)}`, game !== undefined && Math.abs(game - rules) > 1e-6]);
      }
      for (const [name, steps] of Object.entries(one.counters)) lines.push([name, tell(now(steps, S.frame))]);
      for (const [name, spans] of [["i-frames", one.immune], ["stun", one.stunned], ["hitstop", one.frozen], ["down", one.down]]) { const span = spans.find(([a, b]) => a <= S.frame && S.frame <= b); if (span) lines.push([name, `${span[0]} to ${span[1]}, ${span[1] - S.frame + 1} left${span[2] ? `, from ${span[2]}` : ""}`]); }
    }
    const held = D.inputs.filter(([who, , a, b]) => who === id && a <= S.frame && S.frame <= b).map((input) => input[1]);
    if (held.length) lines.push(["holds", held.join(", ")]);
    standing.append(tableOf(`${id}, ${D.kinds[actor.kind].name}`, lines));
  }
}
const quoted = (word) => (/^[\w@%+=:,./-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\"'\"'")}'`);
function tableOf(caption, lines) {
  const table = make("table"), body = make("tbody");
  if (caption) table.append(make("caption", caption));
  for (const [name, text, wrong] of lines) { const line = make("tr"); line.append(make("th", name), make("td", text, wrong ? "differs" : "")); body.append(line); }
  table.append(body);
  return table;
}

// ---- the list
function drawList() {
  const rows = $("rows"), wanted = $("search").value.toLowerCase().split(/\s+/).filter(Boolean), only = $("outcome").value;
  rows.replaceChildren();
  const fits = (text) => wanted.every((one) => text.toLowerCase().includes(one));
  const add = (parent, title, small, current, go, className) => {
    const item = make("li", undefined, className), button = make("button");
    button.type = "button"; button.append(make("b", title), make("small", small));
    if (current) button.setAttribute("aria-current", "true");
    button.addEventListener("click", go); item.append(button); parent.append(item);
  };
  let count = 0;
  if (S.tab === "findings" && !only) for (const one of D.explanations) {
    if (fits(one.text)) add(rows, one.text, one.more, false, () => { if (one.finding >= 0) pick(one.finding); }, "cause");
  }
  if (S.tab === "findings") D.findings.forEach((one, k) => {
    const text = `${one.code} ${one.attacker} ${one.target} ${one.attack} ${one.game} ${one.rules} ${one.frame}`;
    if ((only && one.code !== only) || !(fits(text) || one.follows.some((f) => fits(`${f.code} ${f.game} ${f.rules}`)))) return;
    count++;
    add(rows, `${one.frame}  ${one.code}`, `${one.game}; ${one.rules}`, k === S.finding, () => pick(k));
    for (const f of one.follows) add(rows, `${f.frame}  ${f.code}`, `follows: ${f.game}; ${f.rules}`, false, () => { go(f.frame, [f.attacker, f.target]); lookAt(); }, "follows");
  });
  else if (S.tab === "differences") for (const [frame, what, before, after, follows, who] of OLD.D.differences) {
    if (!fits(`${frame} ${what} ${before} ${after}`)) continue;
    if (++count > ROWS) continue;
    add(rows, `${frame}  ${what}`, `${follows === null ? "" : `follows from ${follows}: `}${before}, then ${after}`, frame === S.frame && S.pair && S.pair[1] === who[1], () => { S.finding = -1; go(frame, who); lookAt(); }, follows === null ? "" : "follows");
  }
  else for (const one of D.contacts) {
    if (only && one[7] !== only) continue;
    if (!fits(`${one[2]} ${one[3]} ${one[4]} ${one[5]} ${one[6]} ${one[7]} ${one[0]}`)) continue;
    if (++count > ROWS) continue;
    const until = one[1] > one[0] ? `–${one[1]}` : "";
    add(rows, `${one[0]}${until}  ${one[7]}`, `${one[2]}.${one[3]} on ${one[4]}.${one[5]}, ${one[6]}${one[12] ? `, ${one[12]}` : ""}${one[11] === null ? "" : `, damage ${one[11]}`}`, one[0] <= S.frame && S.frame <= one[1] && S.pair && S.pair[0] === one[2] && S.pair[1] === one[4], () => { S.finding = -1; go(one[0], [one[2], one[4]]); lookAt(); });
  }
  if (!count) rows.append(make("p", S.tab === "findings" && !D.findings.length ? "nothing disagrees" : S.tab === "differences" && !OLD.D.differences.length ? "nothing differs" : "nothing fits"));
  if (S.tab !== "findings" && count > ROWS) rows.append(make("p", `… and ${count - ROWS} more: search for fewer`));
  $("count-findings").textContent = D.findings.length; $("count-contacts").textContent = D.contacts.length;
  if (OLD) $("count-differences").textContent = OLD.D.differences.filter((one) => one[4] === null).length;
}
function fillOutcomes() {
  const select = $("outcome"), names = S.tab === "findings" ? D.findings.map((one) => one.code) : S.tab === "contacts" ? D.contacts.map((one) => one[7]) : [];
  select.replaceChildren(make("option", "all")); select.firstChild.value = "";
  for (const name of [...new Set(names)].sort()) { const option = make("option", name); option.value = name; select.append(option); }
}
function tab(name) {
  S.tab = name;
  for (const one of OLD ? ["differences", "findings", "contacts"] : ["findings", "contacts"]) $("tab-" + one).setAttribute("aria-selected", String(one === name));
  fillOutcomes(); drawList();
}

// ---- going about
let waiting = false;
function draw() { if (waiting) return; waiting = true; requestAnimationFrame(() => { waiting = false; drawStage(); drawLanes(); drawFacts(); }); }
function go(frame, pair) {
  S.frame = Math.min(Math.max(Math.round(frame), D.first), D.last);
  if (pair !== undefined) { S.pair = pair && pair.some(Boolean) ? pair : null; drawList(); }
  if (S.frame < S.t0 || S.frame > S.t1) { const half = (S.t1 - S.t0) / 2; window_(S.frame - half, S.frame + half); }
  draw(); if (!S.playing) link();
}
function pick(k) { S.finding = k; const one = D.findings[k]; go(one.at, one.attacker || one.target ? [one.attacker, one.target] : null); lookAt(); }
// brings who is selected into the middle, near enough to see what touches
function lookAt() {
  const rows = (S.pair || []).map((id) => D.actors[actorOf.get(id)]).filter(Boolean).map((actor) => rowOf(actor, S.frame)).filter((row) => row >= 0);
  if (!rows.length || S.follow) return;
  const points = rows.flatMap((row) => { const rings = D.looks[C.look[row]].flatMap(([, form]) => ringsOf(row, form)).flat(); return rings.length ? rings : [placeOf(row)]; });
  const xs = points.map((p) => p[0]), ys = points.map((p) => p[1]), x0 = Math.min(...xs), x1 = Math.max(...xs), y0 = Math.min(...ys), y1 = Math.max(...ys), box = world.getBoundingClientRect();
  S.cx = (x0 + x1) / 2; S.cy = (y0 + y1) / 2;
  S.scale = Math.min(box.width / Math.max((x1 - x0) * 3, 20), box.height / Math.max((y1 - y0) * 3, 20), 12);
  draw();
}
function window_(a, b) {
  const least = Math.min(20, D.last - D.first || 1), span = Math.min(Math.max(b - a, least), Math.max(D.last - D.first, 1));
  a = Math.min(Math.max(a, D.first), D.last - span); S.t0 = a; S.t1 = a + span;
}
function link() {
  const parts = [`frame=${S.frame}`];
  if (S.pair) { if (S.pair[0]) parts.push(`attacker=${encodeURIComponent(S.pair[0])}`); if (S.pair[1]) parts.push(`target=${encodeURIComponent(S.pair[1])}`); }
  if (location.protocol !== "about:") history.replaceState(null, "", "#" + parts.join("&")); // within a notebook it has no address
}
function read() {
  const told = new URLSearchParams(location.hash.slice(1)), frame = told.get("frame");
  if (told.get("attacker") || told.get("target")) S.pair = [told.get("attacker") || "", told.get("target") || ""];
  S.finding = D.findings.findIndex((one) => String(one.frame) === frame && (!S.pair || (one.attacker === S.pair[0] && one.target === S.pair[1])));
  return frame !== null && frame !== "" && isFinite(Number(frame)) ? Number(frame) : OLD && OLD.D.parting ? OLD.D.parting[0] : D.first;
}
const JUMPS = {
  finding: () => D.findings.map((one, k) => [one.at, () => pick(k)]),
  contact: () => D.contacts.map((one) => [one[0], () => { S.finding = -1; go(one[0], [one[2], one[4]]); }]),
  claim: () => D.claims.map((one) => [one.frame, () => { S.finding = -1; go(one.frame, [one.attacker || "", one.target || one.id || ""]); }]),
  difference: () => (OLD ? OLD.D.differences.filter((one) => one[4] === null).map((one) => [one[0], () => { S.finding = -1; go(one[0], one[5]); lookAt(); }]) : []),
  death: () => D.events.filter((one) => one[1] === "down").map((one) => [one[0], () => { S.finding = -1; go(one[0], ["", one[2]]); }]),
};
function jump(what, back) {
  const all = JUMPS[what]().sort((a, b) => a[0] - b[0]);
  const found = back ? all.filter(([frame]) => frame < S.frame).pop() : all.find(([frame]) => frame > S.frame);
  if (found) found[1]();
}
let last = 0, owed = 0;
function tick(time) {
  if (!S.playing) return;
  owed += ((time - last) / 1000) * D.rate * S.speed; last = time;
  const whole = Math.floor(owed); owed -= whole;
  if (whole) { if (S.frame + whole >= D.last) { go(D.last); play(false); } else go(S.frame + whole); }
  requestAnimationFrame(tick);
}
function play(on) { S.playing = on; $("play").textContent = on ? "pause" : "play"; if (on) { if (S.frame >= D.last) S.frame = D.first; last = performance.now(); owed = 0; requestAnimationFrame(tick); } else link(); }
function zoom(by, x = wide / 2, y = high / 2) { const before = toWorld(x, y); S.scale = Math.min(Math.max(S.scale * by, 0.01), 200); const after = toWorld(x, y); S.cx += before[0] - after[0]; S.cy += before[1] - after[1]; draw(); }
function speed(by) { const k = Math.min(Math.max(SPEEDS.indexOf(S.speed) + by, 0), SPEEDS.length - 1); S.speed = SPEEDS[k]; $("speed").value = String(S.speed); }
function follow(id) { S.follow = id; $("follow").value = id; draw(); }
function keys(event) {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const typing = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName);
  if (event.key === "Escape") { if (typing) event.target.blur(); else { S.finding = -1; go(S.frame, null); } return; }
  if (typing || $("help").open) return;
  if (event.key === " " && event.target.tagName === "BUTTON") return;
  const step = event.shiftKey ? 10 : 1, key = event.key.length === 1 ? event.key.toLowerCase() : event.key, move = 40 / S.scale;
  const acts = {
    " ": () => play(!S.playing), ArrowLeft: () => go(S.frame - step), ArrowRight: () => go(S.frame + step), Home: () => go(D.first), End: () => go(D.last),
    n: () => jump("finding", event.shiftKey), x: () => jump("difference", event.shiftKey), g: () => old(S.off.has("old")), c: () => jump("contact", event.shiftKey), k: () => jump("claim", event.shiftKey), d: () => (event.target === world ? (S.cx += move, draw()) : jump("death", event.shiftKey)),
    a: () => { S.cx -= move; draw(); }, w: () => { S.cy -= move * flip(); draw(); }, s: () => { S.cy += move * flip(); draw(); },
    "[": () => speed(-1), "]": () => speed(1), "+": () => zoom(1.25), "=": () => zoom(1.25), "-": () => zoom(0.8), 0: () => { follow(""); fit(); },
    f: () => follow(S.follow ? "" : (S.pair && (S.pair[1] || S.pair[0])) || ""), o: () => { window_(D.first, D.last); draw(); }, "/": () => $("search").focus(), "?": () => help(true),
  };
  if (acts[key]) { event.preventDefault(); acts[key](); }
}
function old(on) { if (!OLD) return; if (on) S.off.delete("old"); else S.off.add("old"); $("old").checked = on; draw(); }
function help(on) { const box = $("help"); if (on) box.showModal(); else box.close(); $("help-button").setAttribute("aria-expanded", String(on)); }
function wire() {
  document.addEventListener("keydown", keys);
  for (const [id, act] of [["back10", () => go(S.frame - 10)], ["back", () => go(S.frame - 1)], ["play", () => play(!S.playing)], ["on", () => go(S.frame + 1)], ["on10", () => go(S.frame + 10)], ["fit", () => { follow(""); fit(); }], ["closer", () => zoom(1.25)], ["further", () => zoom(0.8)], ["whole", () => { window_(D.first, D.last); draw(); }], ["help-button", () => help(true)], ["help-close", () => help(false)], ["tab-findings", () => tab("findings")], ["tab-contacts", () => tab("contacts")]]) $(id).addEventListener("click", act);
  for (const button of document.querySelectorAll("[data-jump]")) button.addEventListener("click", (event) => jump(button.dataset.jump, event.shiftKey));
  $("link").addEventListener("click", async () => { link(); try { await navigator.clipboard.writeText(location.href); $("link").textContent = "copied"; } catch { prompt("The link to this frame", location.href); } setTimeout(() => { $("link").textContent = "copy link"; }, 1500); });
  if (OLD) { $("tab-differences").addEventListener("click", () => tab("differences")); $("old").addEventListener("change", () => old($("old").checked)); }
  $("search").addEventListener("input", drawList); $("outcome").addEventListener("change", drawList);
  $("frame").addEventListener("change", () => go(Number($("frame").value) || D.first));
  for (const one of SPEEDS) { const option = make("option", one < 1 ? `1/${1 / one}` : `${one}`); option.value = String(one); $("speed").append(option); }
  $("speed").value = "1"; $("speed").addEventListener("change", () => { S.speed = Number($("speed").value); });
  for (const id of ["", ...D.actors.filter((one) => !one.driven).map((one) => one.id)]) { const option = make("option", id || "nobody"); option.value = id; $("follow").append(option); }
  $("follow").addEventListener("change", () => follow($("follow").value));
  const layers = [...new Set(D.kinds.flatMap((kind) => kind.boxes.flatMap((box) => box.layers)))];
  for (const [group, names] of [["role", ["hitbox", "hurtbox", "body"]], ["kind", D.kinds.map((one) => one.name)], ["layer", layers]]) for (const name of names) {
    const line = make("label"), box = make("input"); box.type = "checkbox"; box.checked = true;
    box.addEventListener("change", () => { if (box.checked) S.off.delete(`${group}:${name}`); else S.off.add(`${group}:${name}`); draw(); });
    line.append(box, ` ${group} ${name}`); $("toggles").append(line);
  }
  world.addEventListener("wheel", (event) => { event.preventDefault(); const box = world.getBoundingClientRect(); zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, event.clientX - box.left, event.clientY - box.top); }, { passive: false });
  world.addEventListener("pointerdown", (event) => { S.down = [event.clientX, event.clientY, S.cx, S.cy]; world.setPointerCapture(event.pointerId); });
  world.addEventListener("pointermove", (event) => { if (S.down) { S.cx = S.down[2] - (event.clientX - S.down[0]) / S.scale; S.cy = S.down[3] - ((event.clientY - S.down[1]) / S.scale) * flip(); draw(); } });
  world.addEventListener("pointerup", (event) => { const still = S.down && Math.hypot(event.clientX - S.down[0], event.clientY - S.down[1]) < 4; S.down = null; if (still) pickAt(event); });
  const scrub = (event) => { const box = lanes.getBoundingClientRect(); go(S.t0 + ((event.clientX - box.left - GUTTER) / (box.width - GUTTER - 8)) * (S.t1 - S.t0)); };
  let held = false;
  lanes.addEventListener("pointerdown", (event) => { held = true; lanes.setPointerCapture(event.pointerId); scrub(event); });
  lanes.addEventListener("pointermove", (event) => { if (held) scrub(event); });
  lanes.addEventListener("pointerup", () => { held = false; });
  lanes.addEventListener("wheel", (event) => { event.preventDefault(); const box = lanes.getBoundingClientRect(), at = S.t0 + ((event.clientX - box.left - GUTTER) / (box.width - GUTTER - 8)) * (S.t1 - S.t0), by = event.deltaY < 0 ? 0.8 : 1.25; window_(at - (at - S.t0) * by, at + (S.t1 - at) * by); draw(); }, { passive: false });
  addEventListener("resize", draw);
  addEventListener("hashchange", () => go(read(), S.pair));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => { readColours(); draw(); });
}
function pickAt(event) {
  const box = world.getBoundingClientRect(), [x, y] = toWorld(event.clientX - box.left, event.clientY - box.top);
  const inside = (ring) => { let found = false; for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) { const [xi, yi] = ring[i], [xj, yj] = ring[j]; if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) found = !found; } return found; };
  const hit = boxesAt(S.frame).filter(shown).reverse().find((one) => one.rings.some(inside));
  if (!hit) return;
  const contact = contactsAt(S.frame).find((one) => one[2] === hit.actor || one[4] === hit.actor);
  S.finding = -1; go(S.frame, contact ? [contact[2], contact[4]] : ["", hit.actor]);
}
load().then(() => {
  for (const one of D.contacts) longest = Math.max(longest, one[1] - one[0]);
  readColours(); wire(); window_(D.first, D.last); tab(OLD ? "differences" : D.findings.length ? "findings" : "contacts");
  go(read(), S.pair); fit(); if (S.pair) lookAt();
  window.voskar = { boxesAt, state: S, data: D, old: OLD && OLD.D, oldBoxesAt: (frame) => withOld(() => boxesAt(frame)) };
  document.body.dataset.ready = "true";
});
