// Marks on a canvas: colours, boxes, diamonds, flags, labels. Places are in pixels.

export const colours = {};
const NAMES = ["paper", "card", "ink", "faint", "grid", "hitbox", "hitfill", "hurtbox", "hurtfill", "body", "muzzle"];
export function readColours() {
  const style = getComputedStyle(document.documentElement);
  for (const name of [...NAMES, "wrong", "right", "pick"]) colours[name] = style.getPropertyValue(`--${name}`).trim();
}

// The context of a canvas that has the size it has on the page: [context, width, height].
export function fitted(canvas) {
  const ratio = devicePixelRatio || 1;
  const box = canvas.getBoundingClientRect();
  const wide = Math.max(1, Math.round(box.width * ratio));
  const high = Math.max(1, Math.round(box.height * ratio));
  if (canvas.width !== wide || canvas.height !== high) Object.assign(canvas, { width: wide, height: high });
  const g = canvas.getContext("2d");
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  return [g, box.width, box.height];
}

export function line(g, points, close = false) {
  g.beginPath();
  points.forEach(([x, y], k) => {
    if (k) g.lineTo(x, y);
    else g.moveTo(x, y);
  });
  if (close) g.closePath();
}

export function stroke(g, colour, width = 1, dash = []) {
  g.strokeStyle = colour;
  g.lineWidth = width;
  g.setLineDash(dash);
  g.stroke();
  g.setLineDash([]);
}

export function segment(g, from, to, colour, width = 1, dash = []) {
  line(g, [from, to]);
  stroke(g, colour, width, dash);
}

const STROKES_APART = 7;
const MOST_WIDE = 4000;
// Slanting strokes that fill a ring.
function hatch(g, ring, colour) {
  const xs = ring.map(([x]) => x);
  const ys = ring.map(([, y]) => y);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  g.save();
  line(g, ring, true);
  g.clip();
  g.beginPath();
  const high = y1 - y0;
  for (let x = x0 - high; x < x1 && x1 - x0 < MOST_WIDE; x += STROKES_APART) {
    g.moveTo(x, y1);
    g.lineTo(x + high, y0);
  }
  stroke(g, colour);
  g.restore();
}

// How each role is drawn: an attack has strokes, a target dashes, a body dots.
export const LOOKS = {
  hitbox: { line: "hitbox", fill: "hitfill", dash: [], width: 1.8 },
  hurtbox: { line: "hurtbox", fill: "hurtfill", dash: [6, 3], width: 1.6 },
  body: { line: "body", fill: null, dash: [1.5, 3], width: 1.2 },
};
export const OLD_DASH = [4, 2, 1, 2];
const LOGGED_DASH = [7, 3, 1.5, 3];
const STRONGER = 1.6;
export function drawRing(g, ring, role, { logged, strong }) {
  const look = LOOKS[role];
  line(g, ring, true);
  if (logged) {
    stroke(g, colours[look.line], 1.4, LOGGED_DASH);
    return;
  }
  if (look.fill) {
    g.globalAlpha = 0.55;
    g.fillStyle = colours[look.fill];
    g.fill();
    g.globalAlpha = 1;
  }
  if (role === "hitbox") hatch(g, ring, colours[look.line]);
  line(g, ring, true);
  stroke(g, colours[look.line], strong ? look.width + STRONGER : look.width, look.dash);
}

export function diamond(g, [x, y], filled, letter, colour) {
  const r = 7;
  line(
    g,
    [
      [x, y - r],
      [x + r, y],
      [x, y + r],
      [x - r, y],
    ],
    true,
  );
  g.fillStyle = filled ? colour : colours.paper;
  g.fill();
  stroke(g, colour, 1.6);
  if (!letter) return;
  Object.assign(g, { fillStyle: colours.ink, font: "bold 9px system-ui", textAlign: "center", textBaseline: "middle" });
  g.fillText(letter, x, y + 0.5);
}

export function flag(g, [x, y], denied) {
  const colour = denied ? colours.wrong : colours.right;
  g.beginPath();
  g.rect(x - 6, y - 6, 12, 12);
  g.fillStyle = colours.paper;
  g.fill();
  stroke(g, colour, 2);
  if (denied) slantedCross(g, [x, y], 4, colour, 2);
}

// A slanting cross.
export function slantedCross(g, [x, y], size, colour, width, dash = []) {
  g.beginPath();
  g.moveTo(x - size, y - size);
  g.lineTo(x + size, y + size);
  g.moveTo(x + size, y - size);
  g.lineTo(x - size, y + size);
  stroke(g, colour, width, dash);
}

export function ringAround(g, [x, y], radius, colour) {
  g.beginPath();
  g.arc(x, y, radius, 0, 2 * Math.PI);
  stroke(g, colour, 2);
}

// Labels of one picture, which stand beside each other.
export class Labels {
  constructor(g) {
    this.g = g;
    this.taken = [];
  }

  add(text, [x, top], colour, bold = false) {
    const { g, taken } = this;
    Object.assign(g, { font: `${bold ? "bold " : ""}12px system-ui`, textAlign: "center", textBaseline: "top" });
    const half = g.measureText(text).width / 2 + 2;
    const isTaken = (y) => taken.some((one) => Math.abs(one.x - x) < one.half + half && Math.abs(one.y - y) < 12);
    let y = top;
    for (let tries = 0; tries < 5 && isTaken(y); tries++) y += 13;
    taken.push({ x, y, half });
    Object.assign(g, { lineWidth: 3, strokeStyle: colours.paper, lineJoin: "round", fillStyle: colour });
    g.strokeText(text, x, y);
    g.fillText(text, x, y);
  }
}
