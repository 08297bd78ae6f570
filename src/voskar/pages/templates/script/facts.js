// The facts of a frame: gates of who is selected, what happens, and how everybody stands.
import { valueAt } from "./data.js";
import { worthALane } from "./lanes.js";
import { element, make, state, versions } from "./state.js";

const tell = (value) => (value === undefined || value === null ? "" : String(Math.round(value * 1000) / 1000));

// A word of a command, as a shell takes it.
const quoted = (word) => (/^[\w@%+=:,./-]+$/.test(word) ? word : `'${word.replaceAll("'", `'"'"'`)}'`);
const command = (words) => make("code", words.map(quoted).join(" "), "command");

function tableOf(caption, lines) {
  const table = make("table");
  const body = make("tbody");
  if (caption) table.append(make("caption", caption));
  for (const [name, text, isWrong] of lines) {
    const row = make("tr");
    row.append(make("th", name), make("td", text, isWrong ? "differs" : ""));
    body.append(row);
  }
  table.append(body);
  return table;
}

export function drawFacts() {
  const { plain, rate } = versions.shown;
  const seconds = (state.frame - plain.whole[0]) / rate;
  element("now").textContent = `frame ${state.frame}, ${seconds.toFixed(3)} s`;
  if (element("frame") !== document.activeElement) element("frame").value = state.frame;
  element("gates").replaceChildren(...findingFacts(), ...pairFacts());
  element("standing").replaceChildren(...frameFacts(), ...actorFacts());
}

function findingFacts() {
  const one = versions.shown.findings[state.finding];
  if (!one) return [];
  const title = make("h2", `${one.code} in ${one.frame}`);
  return [title, make("p", `game: ${one.game}`), make("p", `rules: ${one.rules}`), command(one.why)];
}

function pairFacts() {
  const [attacker, target] = state.pair ?? [];
  if (!attacker || !target) return [];
  const { plain } = versions.shown;
  const gatesIn = (frame) => plain.gates[`${frame}|${attacker}|${target}`];
  const running = versions.shown
    .contactsAt(state.frame)
    .filter((one) => one.attacker === attacker && one.target === target);
  const at = [state.frame, ...running.map((one) => one.frame)].find(gatesIn);
  const asked = at ?? state.frame;
  const words = ["voskar", "why", plain.rulebook, plain.recording, "--frame", String(asked)];
  return [
    make("h2", `${attacker} on ${target}${asked === state.frame ? "" : `, as in ${asked}`}`),
    ...(at === undefined ? [make("p", "its gates in this frame:")] : gatesIn(at).map(gatesTable)),
    command([...words, "--attacker", attacker, "--target", target]),
  ];
}

function gatesTable({ hitbox, hurtbox, attack, gate, steps }) {
  const table = make("table");
  const body = make("tbody");
  table.append(make("caption", hitbox ? `${hitbox} on ${hurtbox}, ${attack}: ${gate}` : gate), body);
  let stopped = false;
  for (const [name, passed, text, ...more] of steps) {
    const row = make("tr");
    const cell = make("td", text);
    if (more.length) cell.append(make("pre", more.join("\n"), "mono"));
    const verdict = passed ? (stopped ? "would pass" : "pass") : stopped ? "would stop" : "STOP";
    row.append(make("th", name), make("td", verdict, passed ? "gate-pass" : "gate-stop"), cell);
    body.append(row);
    stopped ||= !passed;
  }
  return table;
}

// What holds for the whole frame: the clock, the score, what the display shows, claims and events.
function frameFacts() {
  const version = versions.shown;
  const { plain, rate } = version;
  const { frame } = state;
  const run = Math.max(...plain.runs.filter((one) => one <= frame), plain.runs[0]);
  const end = plain.ends.find(([at]) => run <= at && at <= frame);
  const seconds = ((end ? end[0] : frame) - run) / rate;
  const lines = [["clock", `${seconds.toFixed(2)} s${end ? `, ${end[1]}` : ""}`]];
  for (const [who, steps] of Object.entries(plain.score)) lines.push([`score ${who}`, tell(valueAt(steps, frame))]);
  for (const { frame: _, ...shown } of version.displayAt(frame)) {
    const told = Object.entries(shown).map(([key, value]) => `${key} ${value}`);
    lines.push(["game's display", told.join(", ")]);
  }
  const claims = version.claimsAt(frame).map((one) => make("p", claimText(one)));
  const events = version.eventsFrom(frame, frame).map((one) => make("p", `${one.name}: ${one.words}`));
  return [tableOf("", lines), ...claims, ...events];
}

function claimText({ event, attacker, target, id, case: told, damage }) {
  const who = [attacker, target ?? id].filter(Boolean).join(" on ");
  const parts = [who, told, damage === undefined ? "" : `damage ${damage}`];
  return `game claims ${event}: ${parts.filter(Boolean).join(", ")}`;
}

function actorFacts() {
  const wanted = [...(state.pair ?? []), state.follow, ...worthALane().slice(0, 3)];
  const ids = [...new Set(wanted)].filter((id) => versions.shown.actors.has(id));
  return ids.map((id) => tableOf(`${id}, ${versions.shown.kindOf(id).name}`, [...poseLines(id), ...stateLines(id)]));
}

function poseLines(id) {
  const pose = versions.shown.pose(id, state.frame);
  if (!pose) return [["", "no pose in this frame"]];
  const flags = ["hidden", "cut", "lingering"].filter((name) => pose[name]);
  const depth = pose.z === null ? [] : [`z ${tell(pose.z)}`];
  const lines = [["place", [`(${tell(pose.x)}, ${tell(pose.y)})`, ...depth, ...flags].join(", ")]];
  if (pose.clip !== null) lines.push(["clip", `${pose.clip}, cell ${pose.cell}`]);
  return lines;
}

function stateLines(id) {
  const course = versions.shown.courses[id];
  const { frame } = state;
  const lines = [];
  if (course) {
    for (const column of ["health", "lives"]) {
      if (!course[column][1].length) continue;
      const rules = valueAt(course[column], frame);
      const game = valueAt(course.game[column], frame);
      const differs = game !== undefined && Math.abs(game - rules) > 1e-6;
      lines.push([column, game === undefined ? tell(rules) : `${tell(rules)}, game ${tell(game)}`, differs]);
    }
    for (const [name, steps] of Object.entries(course.counters)) lines.push([name, tell(valueAt(steps, frame))]);
    const spans = { "i-frames": course.immune, stun: course.stunned, hitstop: course.frozen, down: course.down };
    for (const [name, all] of Object.entries(spans)) {
      const span = all.find(([first, last]) => first <= frame && frame <= last);
      if (!span) continue;
      const [first, last, cause] = span;
      lines.push([name, `${first} to ${last}, ${last - frame + 1} left${cause ? `, from ${cause}` : ""}`]);
    }
  }
  const held = versions.shown.heldAt(id, frame);
  return held.length ? [...lines, ["holds", held.join(", ")]] : lines;
}
