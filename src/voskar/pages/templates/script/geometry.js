// Where boxes are in the world.

function matrixOf({ facing, angle, scale }) {
  const wide = facing * scale;
  if (angle === 0) return [wide, 0, 0, scale];
  let cos = Math.cos((angle * Math.PI) / 180);
  let sin = Math.sin((angle * Math.PI) / 180);
  if (angle % 90 === 0) {
    cos = Math.round(cos);
    sin = Math.round(sin);
  }
  return [cos * wide, -sin * scale, sin * wide, cos * scale];
}

// The way that an actor looks, of length 1, in world units.
export function lookOf(pose) {
  const [a, , c] = matrixOf(pose);
  const size = Math.hypot(a, c) || 1;
  return [a / size, c / size];
}

// The corners of a form, ring by ring, as one has it with a pose.
export function ringsOf(pose, form) {
  const [a, b, c, d] = matrixOf(pose);
  return form.map((flat) => {
    const ring = [];
    for (let k = 0; k < flat.length; k += 2) {
      ring.push([pose.x + a * flat[k] + b * flat[k + 1], pose.y + c * flat[k] + d * flat[k + 1]]);
    }
    return ring;
  });
}

// The least and the greatest of some points: x, y, x, y.
export function boundsOf(points) {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of points) {
    x0 = Math.min(x0, x);
    y0 = Math.min(y0, y);
    x1 = Math.max(x1, x);
    y1 = Math.max(y1, y);
  }
  return [x0, y0, x1, y1];
}

export function middleOf(rings) {
  const points = rings.flat();
  const sum = points.reduce(([x, y], point) => [x + point[0], y + point[1]], [0, 0]);
  return [sum[0] / points.length, sum[1] / points.length];
}

// What of a box that sticks out over edges that are one comes in again on the other side.
function overTheEdges(rings, bounds) {
  const [lowX, lowY, highX, highY] = bounds;
  const [x0, y0, x1, y1] = boundsOf(rings.flat());
  const found = [];
  for (const across of [-1, 0, 1]) {
    for (const along of [-1, 0, 1]) {
      const dx = across * (highX - lowX);
      const dy = along * (highY - lowY);
      const comesIn = x0 + dx < highX && x1 + dx > lowX && y0 + dy < highY && y1 + dy > lowY;
      if ((across || along) && comesIn) found.push(rings.map((ring) => ring.map(([x, y]) => [x + dx, y + dy])));
    }
  }
  return found;
}

// Whether one went over such an edge between two poses: the way is not what lies between them.
export function hasWrapped(version, before, pose) {
  const { bounds, kinds } = version;
  if (!bounds || !kinds[pose.actor.kind].wraps) return false;
  const isFar = (axis, low, high) => Math.abs(pose[axis] - before[axis]) > (high - low) / 2;
  return isFar("x", bounds[0], bounds[2]) || isFar("y", bounds[1], bounds[3]);
}

const SLACK = 0.002; // of places that are whole thousandths
function sticksOut(rings, bounds) {
  const [x0, y0, x1, y1] = boundsOf(rings.flat());
  return x0 < bounds[0] - SLACK || y0 < bounds[1] - SLACK || x1 > bounds[2] + SLACK || y1 > bounds[3] + SLACK;
}

// Every open box of a frame, where it is in the world.
export function boxesAt(version, frame) {
  const found = [];
  for (const pose of version.poses(frame)) {
    const { actor } = pose;
    if (pose.hidden || version.isDown(actor.id, frame)) continue;
    const kind = version.kinds[actor.kind];
    for (const { place, form } of pose.open) {
      const { name, role, layers, swept, within } = kind.boxes[place];
      const rings = ringsOf(pose, form);
      if (pose.anyShut && within && sticksOut(rings, version.bounds)) continue;
      const box = { actor: actor.id, kind: actor.kind, name, role, layers, pose, form, rings, logged: false };
      found.push({ ...box, swept: swept || actor.driven });
      if (kind.wraps && version.bounds) {
        for (const again of overTheEdges(rings, version.bounds)) found.push({ ...box, swept: false, rings: again });
      }
    }
  }
  for (const { id, name, told } of version.loggedAt(frame)) {
    const actor = version.actors.get(id);
    if (!actor) continue;
    const own = version.kinds[actor.kind].boxes.find((one) => one.name === name);
    const [x0, y0, x1, y1] = told;
    const rings =
      told.length === 1
        ? told[0]
        : [
            [
              [x0, y0],
              [x1, y0],
              [x1, y1],
              [x0, y1],
            ],
          ];
    const { role, layers } = own ?? { role: "body", layers: [] };
    found.push({ actor: id, kind: actor.kind, name, role, layers, logged: true, swept: false, pose: null, rings });
  }
  return found;
}

export function isInside([x, y], ring) {
  let found = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
    const [xi, yi] = ring[i];
    const [xj, yj] = ring[j];
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) found = !found;
  }
  return found;
}
