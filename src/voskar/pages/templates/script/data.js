// A version: what holds for the whole recording, and its poses in chunks that are unpacked when they are needed.
import { element, TRAIL } from "./state.js";

const MOST_CHUNKS = 16; // unpacked at a time
const ARRAYS = { i4: Int32Array, u4: Uint32Array, i2: Int16Array, u1: Uint8Array };
const HIDDEN = 1;
const CUT = 2;
const LINGERING = 4;
const SHUT = 8;

// A block: a JSON text that says where each column lies behind it, with bytes of equal weight side by side.
export async function unpack(text) {
  const packed = Uint8Array.from(atob(text), (one) => one.charCodeAt(0));
  const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("deflate"));
  const bytes = new Uint8Array(await new Response(stream).arrayBuffer());
  const size = new DataView(bytes.buffer).getUint32(0, true);
  const plain = JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + size)));
  const columns = {};
  let at = 4 + size;
  for (const { name, type, rows, width } of plain.columns) {
    const whole = new Uint8Array(rows * width);
    for (let plane = 0; plane < width; plane++) {
      const start = at + plane * rows;
      for (let row = 0; row < rows; row++) whole[row * width + plane] = bytes[start + row];
    }
    at += rows * width;
    columns[name] = new ARRAYS[type](whole.buffer);
  }
  return { plain, columns };
}

// The place of the first of a sorted list whose key is not below a number.
function lower(list, number, key = (one) => one) {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (key(list[middle]) < number) low = middle + 1;
    else high = middle;
  }
  return low;
}
const byFrame = (one) => one.frame;
const inFrame = (list, frame) => list.slice(lower(list, frame, byFrame), lower(list, frame + 1, byFrame));

// The value of [frames, values] in a frame: each holds until the next.
export function valueAt(steps, frame) {
  if (!steps) return undefined;
  const at = lower(steps[0], frame + 1);
  return at ? steps[1][at - 1] : undefined;
}

class Chunk {
  constructor(plain, columns) {
    Object.assign(this, { first: plain.first, last: plain.last, looks: plain.looks, forms: plain.forms });
    this.turns = plain.turns;
    this.clips = plain.clips;
    this.logged = plain.logged.map(([frame, id, name, ...told]) => ({ frame, id, name, told }));
    this.display = plain.display;
    this.actors = new Map(plain.actors.map((one) => [one.id, one]));
    this.columns = columns;
    for (const column of [columns.x, columns.y]) {
      for (let row = 1; row < column.length; row++) column[row] += column[row - 1];
    }
  }

  row(actor, frame) {
    const { spans } = actor;
    let low = 0;
    let high = spans.length - 1;
    while (low <= high) {
      const middle = (low + high) >> 1;
      const [first, count, row] = spans[middle];
      if (frame < first) high = middle - 1;
      else if (frame >= first + count) low = middle + 1;
      else return row + frame - first;
    }
    return -1;
  }

  pose(actor, frame, unit) {
    const row = this.row(actor, frame);
    if (row < 0) return null;
    const { x, y, z, turn, look, clip, cell, flags } = this.columns;
    const [facing, angle, scale] = this.turns[turn[row]];
    return {
      actor,
      x: x[row] / unit,
      y: y[row] / unit,
      z: z ? z[row] / unit : null,
      facing,
      angle,
      scale,
      clip: clip[row] < 0 ? null : this.clips[clip[row]],
      cell: cell[row],
      open: this.looks[look[row]].map(([place, form]) => ({ place, form: this.forms[form] })),
      hidden: (flags[row] & HIDDEN) > 0,
      cut: (flags[row] & CUT) > 0,
      lingering: (flags[row] & LINGERING) > 0,
      anyShut: (flags[row] & SHUT) > 0,
    };
  }
}

class Version {
  constructor(plain) {
    this.packed = []; // { first, last, text } by frame; `text` is a function
    this.chunks = new Map(); // first frame → Chunk, the one used last at the end
    this.revision = 0;
    this.update(plain);
  }

  // Takes what holds for the whole recording, as far as it has come.
  update(plain) {
    this.revision++;
    this.plain = plain;
    Object.assign(this, {
      kinds: plain.kinds,
      bounds: plain.bounds,
      findings: plain.findings,
      claims: plain.claims,
      courses: plain.courses,
      rate: plain.rate,
      first: plain.first,
      last: plain.last,
    });
    const names = plain.contact_fields;
    this.contacts = plain.contacts.map((told) => Object.fromEntries(told.map((value, at) => [names[at], value])));
    this.longest = this.contacts.reduce((most, one) => Math.max(most, one.until - one.frame), 0);
    this.events = plain.events.map(([frame, name, id, words, , x, y, angle]) => ({
      frame,
      name,
      id,
      words,
      x,
      y,
      angle,
    }));
    this.actors = new Map(plain.actors.map((one) => [one.id, one]));
    this.held = new Map();
    for (const [id, button, first, last] of plain.inputs) {
      if (!this.held.has(id)) this.held.set(id, []);
      this.held.get(id).push({ button, first, last });
    }
    this.findingsBy = new Map();
    for (const one of this.findings.flatMap((root) => [root, ...root.follows])) {
      for (const frame of new Set([one.frame, one.at])) {
        if (!this.findingsBy.has(frame)) this.findingsBy.set(frame, []);
        this.findingsBy.get(frame).push(one);
      }
    }
  }

  // Adds poses of some frames, in place of those that it has of them.
  add(first, last, text) {
    for (const one of this.packed.filter((old) => old.first <= last && old.last >= first))
      this.chunks.delete(one.first);
    this.packed = this.packed.filter((old) => old.first > last || old.last < first);
    this.packed.splice(
      lower(this.packed, first, (one) => one.first),
      0,
      { first, last, text },
    );
    this.last = Math.max(this.last, last);
  }

  // Forgets poses before a frame.
  forget(frame) {
    for (const one of this.packed) if (one.last < frame) this.chunks.delete(one.first);
    this.packed = this.packed.filter((one) => one.last >= frame);
    this.first = Math.max(this.first, frame);
  }

  _packedAt(frame) {
    const at = lower(this.packed, frame + 1, (one) => one.first) - 1;
    return at >= 0 && this.packed[at].last >= frame ? this.packed[at] : null;
  }

  // Whether all that a picture of a frame needs is unpacked.
  isReady(frame) {
    return [frame, Math.max(frame - TRAIL - 1, this.first)].every((one) => {
      const packed = this._packedAt(one);
      return !packed || this.chunks.has(packed.first);
    });
  }

  // Unpacks what a picture of a frame needs.
  async load(frame) {
    for (const one of new Set([frame, Math.max(frame - TRAIL - 1, this.first)].map((at) => this._packedAt(at)))) {
      if (!one || this.chunks.has(one.first)) continue;
      const { plain, columns } = await unpack(one.text());
      if (!this.packed.includes(one)) continue; // others have come in its place
      this.chunks.set(one.first, new Chunk(plain, columns));
      for (const old of this.chunks.keys()) if (this.chunks.size > MOST_CHUNKS) this.chunks.delete(old);
    }
  }

  _chunkAt(frame) {
    const packed = this._packedAt(frame);
    const chunk = packed && this.chunks.get(packed.first);
    if (chunk && [...this.chunks.keys()].pop() !== packed.first) {
      this.chunks.delete(packed.first);
      this.chunks.set(packed.first, chunk);
    }
    return chunk || null;
  }

  // The pose of an actor in a frame, null if it has none.
  pose(id, frame) {
    const chunk = this._chunkAt(frame);
    const actor = chunk?.actors.get(id);
    return actor ? chunk.pose(actor, frame, this.plain.unit) : null;
  }

  // Every pose of a frame.
  poses(frame) {
    const chunk = this._chunkAt(frame);
    return chunk
      ? [...chunk.actors.values()].map((one) => chunk.pose(one, frame, this.plain.unit)).filter(Boolean)
      : [];
  }

  loggedAt(frame) {
    return inFrame(this._chunkAt(frame)?.logged ?? [], frame);
  }

  displayAt(frame) {
    return inFrame(this._chunkAt(frame)?.display ?? [], frame);
  }

  claimsAt(frame) {
    return inFrame(this.claims, frame);
  }

  eventsFrom(first, last) {
    return this.events.slice(lower(this.events, first, byFrame), lower(this.events, last + 1, byFrame));
  }

  contactsAt(frame) {
    const started = this.contacts.slice(
      lower(this.contacts, frame - this.longest, byFrame),
      lower(this.contacts, frame + 1, byFrame),
    );
    return started.filter((one) => one.until >= frame);
  }

  findingsAt(frame) {
    return this.findingsBy.get(frame) ?? [];
  }

  isDown(id, frame) {
    return (this.courses[id]?.down ?? []).some(([first, last]) => first <= frame && frame <= last);
  }

  heldAt(id, frame) {
    return (this.held.get(id) ?? []).filter((one) => one.first <= frame && frame <= one.last).map((one) => one.button);
  }

  kindOf(id) {
    const actor = this.actors.get(id);
    return actor ? this.kinds[actor.kind] : null;
  }
}

// A version whose blocks stand in the page.
export async function versionIn(id, className) {
  const { plain } = await unpack(element(id).textContent);
  const version = new Version(plain);
  for (const node of document.getElementsByClassName(className)) {
    version.add(Number(node.dataset.first), Number(node.dataset.last), () => node.textContent);
  }
  return version;
}
