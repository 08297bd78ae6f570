// The list: findings with their causes, contacts, or what differs between two versions.
import { goTo, pick } from "./moves.js";
import { element, LISTED, make, makeOption, state, versions } from "./state.js";

const EMPTY = { findings: "nothing disagrees", differences: "nothing differs", contacts: "nothing fits" };
export const tabs = () => (versions.old ? ["differences", "findings", "contacts"] : ["findings", "contacts"]);
export const ownDifferences = () => differences().filter((one) => one.follows === null);
export function differences() {
  const names = ["frame", "what", "before", "after", "follows", "who"];
  const told = versions.old?.plain.differences ?? [];
  return told.map((values) => Object.fromEntries(values.map((value, at) => [names[at], value])));
}

function searched() {
  const words = element("search").value.toLowerCase().split(/\s+/).filter(Boolean);
  return (text) => words.every((one) => text.toLowerCase().includes(one));
}

// A row that can be pressed: { title, small, isCurrent, act, className }.
function rowOf({ title, small, isCurrent = false, act, className }) {
  const item = make("li", undefined, className);
  const button = make("button");
  button.type = "button";
  button.append(make("b", title), make("small", small));
  if (isCurrent) button.setAttribute("aria-current", "true");
  button.addEventListener("click", act);
  item.append(button);
  return item;
}

// Each gives groups of rows; a search counts groups.
const ROWS = { findings: findingRows, differences: differenceRows, contacts: contactRows };

export function drawList() {
  const { tab } = state;
  const only = element("outcome").value;
  const groups = ROWS[tab](searched(), only);
  const some = tab === "findings" ? groups : groups.slice(0, LISTED);
  const rows = [...(tab === "findings" && !only ? causeRows(searched()) : []), ...some.flat().map(rowOf)];
  const all = { findings: versions.shown.findings, differences: differences(), contacts: versions.shown.contacts };
  if (!groups.length) rows.push(make("p", all[tab].length ? "nothing fits" : EMPTY[tab]));
  if (groups.length > some.length) rows.push(make("p", `… and ${groups.length - some.length} more: search for fewer`));
  element("rows").replaceChildren(...rows);
  element("count-findings").textContent = all.findings.length;
  element("count-contacts").textContent = all.contacts.length;
  if (versions.old) element("count-differences").textContent = ownDifferences().length;
}

function causeRows(fits) {
  const causes = versions.shown.plain.explanations.filter((one) => fits(one.text));
  const act = (at) => () => at >= 0 && pick(at);
  return causes.map(({ text, more, finding }) => {
    return rowOf({ title: text, small: more, act: act(finding), className: "cause" });
  });
}

function findingRows(fits, only) {
  const groups = [];
  versions.shown.findings.forEach((one, at) => {
    const told = [one.code, one.attacker, one.target, one.attack, one.game, one.rules, one.frame].join(" ");
    const isFit = fits(told) || one.follows.some((next) => fits(`${next.code} ${next.game} ${next.rules}`));
    if ((only && one.code !== only) || !isFit) return;
    const title = `${one.frame}  ${one.code}`;
    const small = `${one.game}; ${one.rules}`;
    const follows = one.follows.map((next) => ({
      title: `${next.frame}  ${next.code}`,
      small: `follows: ${next.game}; ${next.rules}`,
      act: () => goTo(next.frame, [next.attacker, next.target]),
      className: "follows",
    }));
    groups.push([{ title, small, isCurrent: at === state.finding, act: () => pick(at) }, ...follows]);
  });
  return groups;
}

function differenceRows(fits) {
  const fitting = differences().filter((one) => fits(`${one.frame} ${one.what} ${one.before} ${one.after}`));
  return fitting.map(({ frame, what, before, after, follows, who }) => {
    const cause = follows === null ? "" : `follows from ${follows}: `;
    return [
      {
        title: `${frame}  ${what}`,
        small: `${cause}${before}, then ${after}`,
        isCurrent: frame === state.frame && state.pair?.[1] === who[1],
        act: () => goTo(frame, who),
        className: follows === null ? "" : "follows",
      },
    ];
  });
}

function contactRows(fits, only) {
  const isWanted = (one) =>
    (!only || one.outcome === only) &&
    fits([one.attacker, one.hitbox, one.target, one.hurtbox, one.attack, one.outcome, one.frame].join(" "));
  return versions.shown.contacts.filter(isWanted).map((one) => {
    const until = one.until > one.frame ? `–${one.until}` : "";
    const ends = `${one.attacker}.${one.hitbox} on ${one.target}.${one.hurtbox}`;
    const parts = [ends, one.attack, one.case, one.damage === null ? "" : `damage ${one.damage}`];
    const [attacker, target] = state.pair ?? [];
    const isNow = one.frame <= state.frame && state.frame <= one.until;
    return [
      {
        title: `${one.frame}${until}  ${one.outcome}`,
        small: parts.filter(Boolean).join(", "),
        isCurrent: isNow && attacker === one.attacker && target === one.target,
        act: () => goTo(one.frame, [one.attacker, one.target]),
      },
    ];
  });
}

function fillOutcomes() {
  const { findings, contacts } = versions.shown;
  const all = { findings: findings.map((one) => one.code), contacts: contacts.map((one) => one.outcome) };
  const names = [...new Set(all[state.tab] ?? [])].sort();
  element("outcome").replaceChildren(makeOption("all", ""), ...names.map((name) => makeOption(name, name)));
}

export function openTab(name) {
  state.tab = name;
  for (const one of tabs()) element(`tab-${one}`).setAttribute("aria-selected", String(one === name));
  fillOutcomes();
  drawList();
}
