// Puts the page together.
import { versionIn } from "./data.js";
import { boxesAt } from "./geometry.js";
import { openTab } from "./list.js";
import { listen } from "./live.js";
import { readColours } from "./marks.js";
import { fit, followEnd, go, lookAt, readLink, showTime } from "./moves.js";
import { element, state, versions } from "./state.js";
import { wire } from "./wiring.js";

async function begin() {
  const isAsked = location.hash !== ""; // for a frame
  versions.shown = await versionIn("data", "chunk");
  if (element("other")) versions.old = await versionIn("other", "old-chunk");
  const { shown, old } = versions;
  readColours();
  wire();
  showTime(shown.first, shown.last);
  openTab(old ? "differences" : shown.findings.length ? "findings" : "contacts");
  const frame = readLink();
  await Promise.all([shown, old].filter(Boolean).map((one) => one.load(frame)));
  go(frame, state.pair);
  fit();
  if (state.pair) await lookAt();
  if (document.body.dataset.after !== undefined) {
    listen();
    if (!isAsked) followEnd(true);
  }
  const boxesOf = async (version, at) => {
    await version.load(at);
    return boxesAt(version, at);
  };
  window.voskar = { state, versions, boxesAt: (at) => boxesOf(shown, at), oldBoxesAt: (at) => boxesOf(old, at) };
  document.body.dataset.ready = "true";
}
begin();
