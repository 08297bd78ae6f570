// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing.
//
//   const log = new Recorder({ rate: 60, write: Recorder.toFile("play.jsonl") });   // Node
//   const log = new Recorder({ rate: 60, write: Recorder.toTcp("127.0.0.1", 7777) });   // to voskar live --listen
//   const log = new Recorder({ rate: 60 });  ...  log.download("play.jsonl");       // a browser
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y, { facing: 1, clip: "run", tick: 12, health: 3 });
//   log.claim("hit", { attacker: "hornet-1", target: "keeper", damage: 1 });
//   log.endFrame();
//
// Nothing here throws into the game or keeps it waiting: a recorder that cannot write falls silent, and says why in
// `problem`; one whose reader is too slow loses frames, counts them in `lost`, and tells the reader. What is logged is
// written after `flushSeconds`, 0 for every frame.
class Recorder {
  constructor({ rate, first = 0, flushSeconds = 0.1, write = null, ...header }) {
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
    if (typeof process !== "undefined" && process.on) process.on("exit", () => this.flush());
    else if (typeof addEventListener === "function") addEventListener("pagehide", () => this.flush());
  }

  static toFile(path) {
    try {
      const fs = require("fs");
      const file = fs.openSync(path, "w");
      return (text) => fs.writeSync(file, text);
    } catch (error) { return () => { throw error; }; }
  }

  static toTcp(host, port) {
    const socket = require("net").connect(port, host);
    let failed = null;
    socket.on("error", (error) => { failed = error; });
    socket.unref();
    const write = (text) => { if (failed) throw failed; socket.write(text); };
    write.waiting = () => socket.writableLength;
    write.close = () => { socket.ref(); socket.end(); };
    return write;
  }

  // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
  // frozen, z, tags: ["airborne"], counters: { guard: 4 }, boxes: { torso: [x0, y0, x1, y1] }, push: [dx, dy]
  pose(id, kind, x, y, more = {}) { this.line.poses.push({ id, kind, x, y, ...more }); }
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
        this.lines.push(JSON.stringify({ frame: this.frame, ...this.line }));
      }
      if (Date.now() - this.flushed >= 1000 * this.flushSeconds) this.flush();
    } catch (error) { this.problem = String(error); }
    this.frame += 1;
    this.line = { poses: [] };
  }

  flush() {
    this.flushed = Date.now();
    if (!this.lines.length) return;
    const text = this.lines.join("\n") + "\n";
    this.lines = [];
    try {
      if (this.write) this.write(text); else this.kept.push(text);
    } catch (error) { this.problem = String(error); this.write = () => {}; }
  }

  close() { this.flush(); if (this.write && this.write.close) this.write.close(); }

  download(name) {
    this.flush();
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob(this.kept));
    link.download = name;
    link.click();
  }

  add(table, entry) { (this.line[table] = this.line[table] || []).push(entry); }
}
if (typeof module !== "undefined") module.exports = { Recorder };
