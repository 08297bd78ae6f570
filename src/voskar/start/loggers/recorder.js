// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing.
//
//   const log = new Recorder({ rate: 60, write: Recorder.toFile("play.jsonl") });   // Node
//   const log = new Recorder({ rate: 60 });  ...  log.download("play.jsonl");       // a browser
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y, { facing: 1, clip: "run", tick: 12, health: 3 });
//   log.claim("hit", { attacker: "hornet-1", target: "keeper", damage: 1 });
//   log.endFrame();
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in `problem`.
class Recorder {
  constructor({ rate, first = 0, flushEvery = 120, write = null, ...header }) {
    this.frame = first;
    this.problem = null;
    this.flushEvery = flushEvery;
    this.write = write;
    this.lines = [JSON.stringify({ voskar: "recording", version: 2, rate, ...header })];
    this.kept = [];
    this.line = { poses: [] };
    if (typeof process !== "undefined" && process.on) process.on("exit", () => this.flush());
    else if (typeof addEventListener === "function") addEventListener("pagehide", () => this.flush());
  }

  static toFile(path) {
    const fs = require("fs");
    const file = fs.openSync(path, "w");
    return (text) => fs.writeSync(file, text);
  }

  // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
  // boxes: { torso: [x0, y0, x1, y1] }, push: [dx, dy]
  pose(id, kind, x, y, more = {}) { this.line.poses.push({ id, kind, x, y, ...more }); }
  // a button, in every frame that it is held; aim: [x, y]
  input(id, button, more = {}) { this.add("inputs", { id, button, ...more }); }
  // hit, down, respawn, out, removed, spawn, over, won
  claim(event, more = {}) { this.add("claims", { event, ...more }); }
  // id with health, percent, icons, lives, score; or clock
  display(more) { this.add("display", more); }
  // before this frame the "room", or the whole "run", began again
  reset(what) { this.line.reset = what; }

  endFrame() {
    try {
      this.lines.push(JSON.stringify({ frame: this.frame, ...this.line }));
      if (this.lines.length >= this.flushEvery) this.flush();
    } catch (error) { this.problem = String(error); }
    this.frame += 1;
    this.line = { poses: [] };
  }

  flush() {
    if (!this.lines.length) return;
    const text = this.lines.join("\n") + "\n";
    this.lines = [];
    try {
      if (this.write) this.write(text); else this.kept.push(text);
    } catch (error) { this.problem = String(error); this.write = () => {}; }
  }

  close() { this.flush(); }

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
