// The colour under the pointer, as the server reads it from the picture: now, and before its tone. Emits nothing.
import { byId, ratio, state, toPicture } from "./stage_state.js";

const LARGEST_SEEN = 1600;

let underWay = false;
/** @type {MouseEvent | null} */
let waiting = null;

export function listenToPointer() {
  document.addEventListener("pointermove", (event) => {
    const lines = /** @type {Element} */ (event.target).closest?.(".stage-lines");
    if (!lines || state.original || event.buttons) return say("");
    if (underWay) waiting = event;
    else void ask(event);
  });
}

/** @param {MouseEvent} event */
async function ask(event) {
  const stage = byId("stage"), facts = state.facts;
  if (!stage || !facts) return;
  const box = stage.getBoundingClientRect(), at = toPicture({ x: event.clientX - box.left, y: event.clientY - box.top });
  if (at.x < 0 || at.y < 0 || at.x >= facts.picture.width || at.y >= facts.picture.height) return say("");
  const scale = state.scale * ratio(), most = LARGEST_SEEN / Math.max(facts.picture.width, facts.picture.height);
  const by = Math.min(scale, most, 1), seen = `&w=${Math.max(1, Math.round(facts.picture.width * by))}&h=${Math.max(1, Math.round(facts.picture.height * by))}`;
  underWay = true;
  try {
    const answer = await fetch(`${stage.dataset.sample}?x=${at.x.toFixed(2)}&y=${at.y.toFixed(2)}${scale >= 1 ? "" : seen}`);
    if (answer.ok) tell(await answer.json());
  } catch {
    say("");
  } finally {
    underWay = false;
    const next = waiting;
    waiting = null;
    if (next) void ask(next);
  }
}

/** @param {{now: number[] | null, before: number[] | null}} found */
function tell({ now, before }) {
  if (!now) return say("clear");
  const words = (/** @type {number[]} */ colour) => colour.map((value) => String(value).padStart(3, "\u2007")).join(" ");
  const changed = before && before.some((value, i) => value !== now[i]);
  say(`${words(now)}${changed ? `   was ${words(before)}` : ""}`);
}

/** @param {string} words */
function say(words) {
  const seat = byId("stage-sample");
  if (seat && seat.textContent !== words) seat.textContent = words;
}
