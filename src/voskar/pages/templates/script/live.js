// A recording that grows: its server sends poses as they come, and now and then all that is known of them.
import { unpack } from "./data.js";
import { drawList } from "./list.js";
import { draw, go, showTime } from "./moves.js";
import { element, state, versions } from "./state.js";
import { fillFollow } from "./wiring.js";

const SECONDS = 20; // of the time that are shown while the page follows the end

function arrived() {
  const { shown } = versions;
  if (!state.atEnd) {
    draw();
    return;
  }
  showTime(shown.last - SECONDS * shown.rate, shown.last);
  go(shown.last);
}

// Takes what comes, in order.
export function listen() {
  let queue = Promise.resolve();
  const source = new EventSource(`events?after=${document.body.dataset.after}`);
  const take = (name, act) => {
    source.addEventListener(name, (event) => {
      queue = queue.then(() => act(event.data)).catch((error) => console.error(error));
    });
  };
  take("poses", (data) => {
    const { first, last, forget, text } = JSON.parse(data);
    versions.shown.add(first, last, () => text);
    if (forget !== undefined) versions.shown.forget(forget);
    arrived();
  });
  take("known", async (data) => {
    const { plain } = await unpack(data);
    const { first, last } = versions.shown;
    versions.shown.update({ ...plain, first: Math.max(first, plain.first), last: Math.max(last, plain.last) });
    element("summary").textContent = plain.summary;
    fillFollow();
    drawList();
    arrived();
  });
  take("begun", () => location.replace("./"));
  take("ended", () => {
    source.close();
    document.body.dataset.ended = "true";
    element("at-end").textContent = "the game has ended";
  });
}
