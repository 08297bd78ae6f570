// What the page shows just now, and small helpers that every module uses.
export const TRAIL = 12; // poses behind an actor that are drawn
export const SPEEDS = [0.125, 0.25, 0.5, 1, 2, 4];
export const LISTED = 400; // rows of a list
// `shown` is the version that the page is about, `old` the other one of two
export const versions = { shown: null, old: null };
export const state = {
  frame: 0,
  playing: false,
  speed: 1,
  pair: null, // [attacker, target] that is selected
  finding: -1, // place of the selected finding
  tab: "findings",
  follow: "",
  atEnd: false, // follows the end of a recording that grows
  centreX: 0, // of the stage, in units
  centreY: 0,
  scale: 1, // pixels a unit
  from: 0, // the frames that the time shows
  until: 1,
  off: new Set(), // what is switched off: "role:hitbox", "kind:moth", "layer:people", "old"
};
export const element = (id) => document.getElementById(id);
// Texts from files only ever become text nodes.
export function make(tag, text, className) {
  const node = document.createElement(tag);
  if (text !== undefined) node.textContent = text;
  if (className) node.className = className;
  return node;
}
export function makeOption(text, value) {
  const option = make("option", text);
  option.value = value;
  return option;
}
