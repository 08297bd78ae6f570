// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing.
//
//   const log = new Recorder({ rate: 60, write: Recorder.toFile("play.jsonl") });   // Node
//   const log = new Recorder({ rate: 60, write: Recorder.toTcp("127.0.0.1", 7777) });   // to voskar live --listen
//   const log = new Recorder({ rate: 60, download: "play.jsonl" });                 // a browser
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y, { facing: 1, clip: "run", tick: 12, health: 3 });
//   log.claim("hit", { attacker: "hornet-1", target: "keeper", damage: 1 });
//   log.endFrame();
//
// CommonJS: const { Recorder } = require("./recorder.js"). Modules: import "./recorder.js", then Recorder is global; so it
// is after <script src="recorder.js">. In a browser what is logged is offered as a download, part by part, whenever
// `partBytes` have come, and at the end by log.close(): cat play-*.jsonl > play.jsonl. A path that ends in .gz is
// compressed. Numbers have `decimals` places, 4 by default. A thing out of a pool needs another id each time:
// id = log.pool("shot-0") as it is taken out.
//
// Nothing here throws into the game or keeps it waiting: a recorder that cannot write falls silent, and says why in
// `problem`; if its reader is too slow, it loses frames, counts them in `lost`, and reports them. What is logged is
// written after `flushSeconds`, 0 for every frame. Numbers that are none and ids that cannot be printed are replaced; the
// log says so in `problems`.
class Recorder {
  constructor({ rate, first = 0, flushSeconds = 0.1, write = null, download = null, partBytes = 16e6, decimals = 4, ...header }) {
    this.scale = 10 ** decimals;
    this.problems = [];
    this.taken = new Map();
    this.name = download;
    this.partBytes = partBytes;
    this.parts = 0;
    this.size = 0;
    this.frame = first;
    this.problem = null;
    this.lost = 0;
    this.dropped = 0;
    this.flushSeconds = flushSeconds;
    this.flushed = Date.now();
    this.write = write;
    this.lines = [JSON.stringify({ voskar: "recording", version: 2, rate, ...header })];
    this.kept = [];
    this.line = { poses: [] };
    this.flush();
    if (typeof process !== "undefined" && process.on) process.on("exit", () => this.flush());
    else if (typeof addEventListener === "function") addEventListener("pagehide", () => this.close());
  }

  static builtIn(name) { return typeof require === "function" ? require(name) : process.getBuiltinModule(name); }

  static toFile(path) {
    try {
      const file = Recorder.builtIn("fs").openSync(path, "w");
      const packed = String(path).endsWith(".gz") ? Recorder.builtIn("zlib").gzipSync : (text) => text;
      return (text) => Recorder.builtIn("fs").writeSync(file, packed(text));
    } catch (error) { return () => { throw error; }; }
  }

  static toTcp(host, port) {
    try {
      const socket = Recorder.builtIn("net").connect(port, host);
      let failed = null;
      socket.on("error", (error) => { failed = error; });
      socket.unref();
      const write = (text) => { if (failed) throw failed; socket.write(text); };
      write.waiting = () => socket.writableLength;
      write.close = () => { socket.ref(); socket.end(); };
      return write;
    } catch (error) { return () => { throw error; }; }
  }

  // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
  // frozen, z, tags: ["airborne"], counters: { guard: 4 }, boxes: { torso: [x0, y0, x1, y1] }, push: [dx, dy]
  pose(id, kind, x, y, more = {}) { this.add("poses", { id, kind, x, y, ...more }); }
  // another id at each call: for a thing out of a pool, as it is taken out again
  pool(id) {
    const count = (this.taken.get(id) || 0) + 1;
    this.taken.set(id, count);
    return count === 1 ? id : `${id}~${count}`;
  }
  // a button, in every frame that it is held; aim: [x, y]
  input(id, button, more = {}) { this.add("inputs", { id, button, ...more }); }
  // hit, clash (ids: [a, b]), down, respawn, out, removed, spawn, over, won
  claim(event, more = {}) { this.add("claims", { event, ...more }); }
  // id with health, percent, icons, lives, score; or clock
  display(more) { this.add("display", more); }
  // before this frame the "room", or the whole "run", began again
  reset(what) { this.line.reset = what; }

  endFrame() {
    try {
      if (this.write && this.write.waiting && this.write.waiting() > 4e6) {
        this.dropped += 1;
        this.lost += 1;
      } else {
        if (this.dropped) this.line.dropped = this.dropped;
        this.dropped = 0;
        if (this.problems.length) this.line.problems = this.problems.slice(0, 10);
        this.lines.push(JSON.stringify({ frame: this.frame, ...this.line }));
      }
      if (Date.now() - this.flushed >= 1000 * this.flushSeconds) this.flush();
    } catch (error) { this.problem = String(error); }
    this.frame += 1;
    this.line = { poses: [] };
    this.problems = [];
  }

  flush() {
    this.flushed = Date.now();
    if (!this.lines.length) return;
    const text = this.lines.join("\n") + "\n";
    this.lines = [];
    try {
      if (this.write) this.write(text); else this.keep(text);
    } catch (error) { this.problem = String(error); this.write = () => {}; }
  }

  close() {
    this.flush();
    try {
      if (this.write && this.write.close) this.write.close();
      else if (this.name && this.kept.length) this.download();
    } catch (error) { this.problem = String(error); }
  }

  // in a browser, until it is downloaded
  keep(text) {
    this.kept.push(text);
    this.size += text.length;
    if (this.name && this.size >= this.partBytes) this.download();
  }

  // the next part; all of it, if there was none before
  download(name = this.name) {
    const isWhole = this.parts === 0 && this.size < this.partBytes;
    this.parts += 1;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob(this.kept));
    link.download = isWhole ? name : name.replace(/(?=\.[^.]*$)/, `-${String(this.parts).padStart(3, "0")}`);
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
    this.kept = [];
    this.size = 0;
  }

  add(table, entry) {
    const who = Recorder.printable(String(entry.id || entry.event || table)), clean = {};
    for (const name of Object.keys(entry)) clean[name] = this.plain(entry[name], who, name);
    (this.line[table] = this.line[table] || []).push(clean);
  }

  static printable(text) {
    return text.replace(/[\u0000-\u001f\u007f-\u009f]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, "?");
  }

  // a value as JSON has it: what cannot be written is replaced, and the log says so
  plain(value, who, name) {
    if (typeof value === "number") {
      if (Number.isFinite(value)) return Number.isInteger(value) ? value : Math.round(value * this.scale) / this.scale;
      this.problems.push(`${who}: ${name} was ${value}`);
      return 0;
    }
    if (typeof value === "string") {
      const clean = Recorder.printable(value);
      if (clean !== value) this.problems.push(`${who}: ${name} had characters that cannot be printed`);
      return clean;
    }
    if (Array.isArray(value)) return value.map((item) => this.plain(item, who, name));
    if (value && typeof value === "object") {
      return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, this.plain(item, who, `${name}.${key}`)]));
    }
    return value;
  }
}
if (typeof module !== "undefined") module.exports = { Recorder };
else globalThis.Recorder = Recorder;
