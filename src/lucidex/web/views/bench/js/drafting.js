// While a control moves, the picture moves with it: the newest values win, one request is under way, one waits.
// Emits "drafted" with the histogram of what is seen.
import { draftOf, showDraft } from "./pictures.js";

const LONGEST_MS = 8_000; // a draft that hangs is given up, so that the next one is made

let underWay = false, turn = 0;
/** @type {HTMLFormElement | null} */
let waiting = null;

export function listenToDrafts() {
  document.addEventListener("input", (event) => {
    const form = /** @type {HTMLInputElement} */ (event.target).form;
    if (form?.dataset.draft) ask(form);
  });
  // what is asked for before an answer replaced the bench belongs to the past
  document.addEventListener("htmx:after:swap", () => { turn += 1; });
}

/** @param {HTMLFormElement} form */
function ask(form) {
  if (underWay) waiting = form;
  else void send(form);
}

/** @param {HTMLFormElement} form */
async function send(form) {
  const image = document.querySelector("img.stage-picture");
  if (!(image instanceof HTMLImageElement)) return;
  const mine = turn, { query, part } = draftOf(image);
  const values = new URLSearchParams(/** @type {any} */ (new FormData(form)));
  underWay = true;
  try {
    const answer = await fetch(`${form.dataset.draft}?${values}${query}`, { signal: AbortSignal.timeout(LONGEST_MS) });
    if (answer.ok && mine === turn) {
      const found = JSON.parse(answer.headers.get("X-Histogram") ?? "null");
      if (await showDraft(image, await answer.blob(), part, () => mine === turn)) document.dispatchEvent(new CustomEvent("drafted", { detail: found }));
    }
  } catch {
    // the change itself will say what is wrong
  } finally {
    underWay = false;
    const next = waiting;
    waiting = null;
    if (next?.isConnected) void send(next);
  }
}
