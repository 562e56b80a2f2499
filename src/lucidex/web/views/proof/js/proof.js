// The proof sheet: rows are selected, cells are framed by mouse and keys, and a run is followed. Emits requests for the
// cells that changed.

import { csrf, say } from "../../../shell/js/requests.js";

const FOOT_PAUSE_MS = 250;
const STEP = 0.04; // of the window, for each press of an arrow key; with Shift four times as far
const PAUSE_MS = 350;
const CLOSER = 1.08;

/** @type {Map<Element, {across: number, down: number, closer: number, timer: number}>} */
const moves = new Map();
/** @type {Set<string>} */
let selected = new Set();
/** @type {EventSource | null} */
let stream = null;

function startProof() {
  const begin = () => {
    if (!document.querySelector("[data-proof]")) return;
    document.addEventListener("change", (event) => {
      const field = /** @type {HTMLInputElement} */ (event.target);
      if (field.matches("[data-select-all]")) boxes().forEach((box) => { box.checked = field.checked; });
      if (field.type === "checkbox") selected = new Set(boxes().filter((box) => box.checked).map((box) => box.value));
      countSelected();
    });
    document.addEventListener("keydown", onKey);
    document.addEventListener("pointerdown", onPointer);
    document.addEventListener("cells-changed", () => {
      const line = /** @type {HTMLInputElement | null} */ (document.getElementById("selected-line"));
      if (line) line.value = "";
      refreshCells();
      refreshFoot();
    });
    document.addEventListener("row-changed", (event) => refreshRow(document.querySelector(`[data-row="${/** @type {CustomEvent} */ (event).detail.picture}"]`)));
    document.addEventListener("row-changed", refreshFoot);
    document.addEventListener("sheet-outdated", () => say("A place was hung or taken down since this sheet was opened. Load the page again to see all of them."));
    document.addEventListener("htmx:after:swap", () => {
      // rows that have just come keep being selected
      for (const box of boxes()) box.checked = selected.has(box.value);
      countSelected();
      followRun();
      reserve();
    });
    document.addEventListener("submit", share);
    countSelected();
    followRun();
  };
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
}

/** A picture that is still to come has its true box already, so that nothing jumps when it is there. */
function reserve() {
  for (const image of /** @type {NodeListOf<HTMLImageElement>} */ (document.querySelectorAll(".proof-mount img[data-ratio]"))) {
    const { ratio = "1", wide = "1" } = image.dataset;
    image.style.aspectRatio = ratio;
    image.style.width = `min(var(--cell-wide), calc(var(--cell) * ${Number(ratio)}), ${Number(wide)}px)`;
  }
}

const boxes = () => /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll(".proof-row-head input[type=checkbox]")]);

/** A ceiling is shared out in short requests, so that it is seen how far it is, and can be stopped. @param {Event} event */
async function share(event) {
  const form = /** @type {HTMLFormElement} */ (event.target);
  const address = form.dataset.share;
  if (!address) return;
  event.preventDefault();
  const said = form.querySelector("[data-share-said]"), stop = /** @type {HTMLButtonElement | null} */ (form.querySelector("[data-share-stop]"));
  const begin = /** @type {HTMLButtonElement | null} */ (form.querySelector("button:not([type])"));
  if (!said || !stop || !begin) return;
  let stopped = false;
  const values = new FormData(form);
  if (form.dataset.poor) values.set("poor", "true");
  stop.onclick = () => { stopped = true; };
  begin.disabled = true;
  stop.hidden = false;
  said.textContent = "Measuring …";
  try {
    while (!stopped) {
      const answer = await fetch(address, { method: "POST", headers: { "X-CSRF-Token": csrf(), Accept: "application/json" }, body: new URLSearchParams(/** @type {Record<string, string>} */ (Object.fromEntries(values))) });
      const found = await answer.json();
      if (!answer.ok) {
        said.textContent = found.detail ?? found.sentence ?? "This could not be shared out.";
        break;
      }
      said.textContent = found.is_over ? found.sentence : `Measuring: ${found.done} of ${found.total} files …`;
      if (found.is_over) {
        form.dataset.poor = found.is_poor ? "true" : "";
        begin.textContent = found.is_poor ? "Share it out nevertheless" : "Share it out";
        if (!found.is_poor) document.querySelectorAll("[data-cell]").forEach((cell) => window.htmx.trigger(cell, "refresh"));
        break;
      }
    }
    if (stopped) said.textContent = "Stopped. Nothing was changed.";
  } catch {
    said.textContent = "The product does not answer. Nothing was changed.";
  }
  begin.disabled = false;
  stop.hidden = true;
}

/** It is always plain on how many pictures a step would go. */
function countSelected() {
  const count = boxes().filter((box) => box.checked).length;
  const seat = document.querySelector("[data-selected-count]");
  if (seat) seat.textContent = String(count);
  weighSelected();
  for (const control of document.querySelectorAll("#for-selected input, #for-selected button")) /** @type {HTMLInputElement} */ (control).disabled = count === 0;
  const all = /** @type {HTMLInputElement | null} */ (document.querySelector("[data-select-all]"));
  if (all) {
    all.checked = count > 0 && count === boxes().length;
    all.indeterminate = count > 0 && count < boxes().length;
  }
}

/** What the selected originals weigh, and what their files do as far as they are shown. */
function weighSelected() {
  const seat = document.querySelector("[data-selected-weights]");
  if (!seat) return;
  const rows = boxes().filter((box) => box.checked).map((box) => box.closest("tr"));
  const before = rows.reduce((sum, row) => sum + Number(row?.dataset.bytesBefore ?? 0), 0);
  const after = rows.flatMap((row) => [...(row?.querySelectorAll("[data-bytes]") ?? [])]).reduce((sum, one) => sum + Number(one.getAttribute("data-bytes")), 0);
  seat.textContent = rows.length ? `${weight(before)} → ${weight(after)}` : "";
}

const weight = (/** @type {number} */ bytes) => (bytes >= 1_000_000 ? `${(bytes / 1_000_000).toFixed(1)} MB` : bytes >= 1000 ? `${Math.round(bytes / 1000)} kB` : `${bytes} B`);

/** The cells of the selected rows are asked for again. */
function refreshCells() {
  for (const box of boxes().filter((one) => one.checked)) refreshRow(box.closest("tr"));
}

/** @param {Element | null} row */
function refreshRow(row) {
  for (const cell of row?.querySelectorAll("[data-cell]") ?? []) window.htmx.trigger(cell, "refresh");
  const small = /** @type {HTMLImageElement | null} */ (row?.querySelector(".proof-small img") ?? null);
  if (small) small.src = small.src.replace(/&v=\w*/, `&v=${Date.now()}`);
}

/** @param {KeyboardEvent} event */
function onKey(event) {
  const cell = /** @type {HTMLElement} */ (event.target);
  if (!cell.matches?.("[data-cell]") || event.ctrlKey || event.metaKey || event.altKey) return;
  const by = event.shiftKey ? 4 * STEP : STEP;
  const way = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[event.key];
  const closer = { "+": CLOSER, "-": 1 / CLOSER }[event.key];
  const other = neighbour(cell, event.key);
  if (other) {
    event.preventDefault();
    other.focus();
  } else if (event.key === "Enter") {
    event.preventDefault();
    void accept(cell);
  } else if (["n", "m"].includes(event.key) && cell.querySelector(".proof-framed")) {
    event.preventDefault();
    void propose(cell, event.key === "m");
  } else if ((way || closer) && cell.querySelector(".proof-framed")) {
    event.preventDefault();
    move(cell, way?.[0] ?? 0, way?.[1] ?? 0, closer ?? 1);
  }
}

/** The cell above, below, or at an end of the row. @param {HTMLElement} cell @param {string} key @returns {HTMLElement | null} */
function neighbour(cell, key) {
  const row = cell.closest("tr");
  if (!row) return null;
  const cells = (/** @type {Element | undefined} */ of) => /** @type {HTMLElement[]} */ ([...(of?.querySelectorAll("[data-cell]") ?? [])]);
  const rows = [...document.querySelectorAll(".proof-sheet tbody tr")], column = cells(row).indexOf(cell);
  if (key === "PageDown" || key === "PageUp") return cells(rows[rows.indexOf(row) + (key === "PageDown" ? 1 : -1)])[column] ?? null;
  if (key === "Home") return cells(row)[0] ?? null;
  return key === "End" ? cells(row).at(-1) ?? null : null;
}

/** Moves add up while keys are pressed, and are sent together. @param {Element} cell @param {number} across @param {number} down @param {number} closer */
function move(cell, across, down, closer) {
  const held = moves.get(cell) ?? { across: 0, down: 0, closer: 1, timer: 0 };
  clearTimeout(held.timer);
  Object.assign(held, { across: held.across + across, down: held.down + down, closer: held.closer * closer });
  held.timer = window.setTimeout(() => void sendMove(cell), PAUSE_MS);
  moves.set(cell, held);
  const image = cell.querySelector("img");
  // a rough draft: what is seen slides under its frame until the file is made anew
  if (image) image.style.transform = `translate(${-held.across * 100}%, ${-held.down * 100}%) scale(${held.closer})`;
}

/** @param {Element} cell */
async function sendMove(cell) {
  const held = moves.get(cell);
  if (!held) return;
  moves.delete(cell);
  clearTimeout(held.timer);
  await post(cell, "nudge", { across: held.across, down: held.down, closer: held.closer });
}

/** @param {HTMLElement} cell @param {boolean} middle */
async function propose(cell, middle) {
  await sendMove(cell);
  await post(cell, "propose", { middle: Number(middle) });
}

/** @param {HTMLElement} cell */
async function accept(cell) {
  await sendMove(cell);
  const cells = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-cell]")]);
  const following = cells.slice(cells.indexOf(cell) + 1);
  (following.find((one) => isFlagged(one)) ?? following[0])?.focus();
  await post(cell, "accept", {});
}

const isFlagged = (/** @type {Element} */ cell) => cell.querySelector(".proof-facts") ? cell.querySelector(".flag") !== null : cell.hasAttribute("data-flagged");

/** @param {Element} cell @param {string} what @param {Record<string, number>} values */
async function post(cell, what, values) {
  await window.htmx.ajax("POST", `${cell.getAttribute("data-cell")}/${what}`, { source: cell, target: cell, swap: "innerHTML", values });
  refreshFoot();
}

/** What a cell shows is pulled about by the mouse. @param {PointerEvent} start */
function onPointer(start) {
  const mount = /** @type {Element} */ (start.target).closest?.(".proof-framed");
  const cell = /** @type {HTMLElement | null} */ (mount?.closest("[data-cell]") ?? null);
  const image = mount?.querySelector("img");
  if (!cell || !mount || !image || start.button !== 0) return;
  start.preventDefault();
  cell.focus({ preventScroll: true });
  mount.setPointerCapture(start.pointerId);
  let dx = 0, dy = 0;
  const follow = (/** @type {Event} */ event) => {
    const at = /** @type {PointerEvent} */ (event);
    dx = at.clientX - start.clientX;
    dy = at.clientY - start.clientY;
    image.style.transform = `translate(${dx}px, ${dy}px)`;
  };
  const end = () => {
    mount.removeEventListener("pointermove", follow);
    mount.removeEventListener("pointerup", end);
    mount.removeEventListener("pointercancel", end);
    if (Math.hypot(dx, dy) > 2) void post(cell, "nudge", { across: -dx / image.clientWidth, down: -dy / image.clientHeight, closer: 1 });
  };
  mount.addEventListener("pointermove", follow);
  mount.addEventListener("pointerup", end);
  mount.addEventListener("pointercancel", end);
}

/** One stream a page at most, closed when the run is over. */
function followRun() {
  const run = /** @type {HTMLElement | null} */ (document.querySelector("[data-run]"));
  const address = run && ["running", "paused"].includes(run.dataset.runState ?? "") ? `/runs/${run.dataset.run}/events` : "";
  if (stream && new URL(stream.url).pathname === address && stream.readyState !== EventSource.CLOSED) return;
  stream?.close();
  stream = null;
  if (!address) return;
  stream = new EventSource(address);
  stream.onmessage = (event) => tell(JSON.parse(event.data));
}

/** @param {{state: string, total: number, done: number, failed: number, left: string, weights: string}} progress */
function tell(progress) {
  const run = /** @type {HTMLElement | null} */ (document.querySelector("[data-run]"));
  if (!run) return;
  put(run, "[data-run-count]", `${progress.done} of ${progress.total} finished`);
  put(run, "[data-run-weights]", progress.weights);
  if (progress.state === "running") put(run, "[data-run-left]", progress.left);
  const bar = run.querySelector("progress");
  if (bar) bar.value = progress.done;
  if (progress.state === run.dataset.runState) return;
  stream?.close();
  // cells that nobody has scrolled to wait for nothing any more
  for (const words of document.querySelectorAll("[data-cell] > span.note:only-child")) if (progress.state === "finished") words.textContent = "made";
  // another state has other buttons
  refreshFoot();
}

/** What the foot says of the finished files, once something was changed. */
function refreshFoot() {
  clearTimeout(footTimer);
  footTimer = window.setTimeout(() => {
    const run = /** @type {HTMLElement | null} */ (document.querySelector("[data-run]"));
    if (run) void window.htmx.ajax("GET", `/runs/${run.dataset.run}/foot`, { target: "#run", swap: "innerHTML" });
  }, FOOT_PAUSE_MS);
}

/** @type {number | undefined} */
let footTimer;

/** @param {Element} run @param {string} selector @param {string} words */
function put(run, selector, words) {
  const seat = run.querySelector(selector);
  if (seat && seat.textContent !== words) seat.textContent = words;
}

startProof();
