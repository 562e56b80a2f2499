// The contact sheet: pictures are selected by mouse and keys, and what is selected is always counted. Emits
// `selection-changed` to the form that asks for what is known of it.

/** @type {Set<string>} */
let selected = new Set();
/** @type {HTMLInputElement | null} */
let from = null;
/** The picture to which a key leads as soon as it is printed. */
let awaited = "";

const root = () => document.querySelector("[data-gather]");
const boxes = () => /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll("#contact input[name=on]")]);
/** A picture that is not on the page yet has its box there, without a print. @param {HTMLInputElement} box */
const isPrinted = (box) => !box.hidden;

function startGather() {
  const begin = () => {
    if (!root()) return;
    document.addEventListener("click", onClick);
    document.addEventListener("dblclick", (event) => {
      const box = boxOf(event.target);
      if (box) location.assign(`/pictures/${box.value}`);
    });
    document.addEventListener("change", (event) => { if (boxOf(event.target)) selectionChanged(); });
    document.addEventListener("keydown", onKey);
    document.addEventListener("prints-changed", refresh);
    document.addEventListener("cells-changed", refresh);
    document.addEventListener("htmx:after:swap", () => {
      // what is shown anew keeps being selected
      for (const box of boxes()) box.checked = selected.has(box.value);
      count();
      giveRoom();
      if (awaited) goTo(boxes().find((box) => box.value === awaited));
    });
    document.addEventListener("input", (event) => {
      const field = /** @type {HTMLTextAreaElement} */ (event.target);
      const seat = field.dataset?.counts ? document.getElementById(field.dataset.counts) : null;
      if (seat) seat.textContent = `${field.value.length} of 150`;
    });
    count();
    giveRoom();
  };
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
}

/** What is not printed yet keeps about its room, so that one can go to anywhere. */
function giveRoom() {
  for (const strip of document.querySelectorAll(".prints-coming")) /** @type {HTMLElement} */ (strip).style.setProperty("--count", strip.getAttribute("data-count"));
}

/** @param {EventTarget | null} target @returns {HTMLInputElement | null} */
function boxOf(target) {
  const print = target instanceof Element ? target.closest("#contact .print-mount") : null;
  return print?.querySelector("input") ?? null;
}

/** @param {MouseEvent} event */
function onClick(event) {
  awaited = ""; // whoever points somewhere is led nowhere else
  const target = /** @type {Element} */ (event.target);
  const which = target.closest("[data-select]")?.getAttribute("data-select");
  if (which) return select(boxes().filter((box) => which === "all" || (which === "flagged" && "flagged" in box.dataset)));
  if (target.closest("[data-prepare]")) {
    const first = boxes().find((box) => box.checked);
    if (first) location.assign(`/pictures/${first.value}`);
    return;
  }
  const box = boxOf(target);
  if (!box || target === box) { // the square itself adds and takes away, as squares do
    if (box && !event.shiftKey) from = box;
    return;
  }
  event.preventDefault();
  box.focus();
  if (event.shiftKey && from) return select(between(from, box));
  from = box;
  if (event.ctrlKey || event.metaKey) {
    box.checked = !box.checked;
    selectionChanged();
  } else select([box]);
}

/** @param {HTMLInputElement} one @param {HTMLInputElement} other */
function between(one, other) {
  // by what they stand for: a box is another one once its picture is printed
  const all = boxes(), ids = all.map((box) => box.value), ends = [ids.indexOf(one.value), ids.indexOf(other.value)].sort((a, b) => a - b);
  return all.slice(ends[0], (ends[1] ?? 0) + 1);
}

/** @param {HTMLInputElement[]} some */
function select(some) {
  const wanted = new Set(some);
  for (const box of boxes()) box.checked = wanted.has(box);
  selectionChanged();
}

function selectionChanged() {
  selected = new Set(boxes().filter((box) => box.checked).map((box) => box.value));
  count();
  const form = document.getElementById("chosen-form");
  if (form) window.htmx.trigger(form, "selection-changed");
}

/** It is always plain on how many pictures something goes. */
function count() {
  const chosen = boxes().filter((box) => box.checked);
  const words = document.querySelector("[data-selection]"), weight = document.querySelector("[data-selection-weight]");
  if (words) words.textContent = chosen.length ? `${chosen.length} selected` : "nothing selected";
  const bytes = chosen.reduce((sum, box) => sum + Number(box.dataset.bytes), 0);
  if (weight) weight.textContent = chosen.length ? asWeight(bytes) : "";
  for (const control of document.querySelectorAll("[data-needs-selection]")) /** @type {HTMLInputElement} */ (control).disabled = chosen.length === 0;
}

/** @param {number} bytes */
const asWeight = (bytes) => (bytes < 1e6 ? `${Math.round(bytes / 1e3)} kB` : `${(bytes / 1e6).toFixed(1)} MB`);

/** @param {KeyboardEvent} event */
function onKey(event) {
  const box = boxOf(event.target);
  if (!box) return;
  if (event.key === "Enter") return location.assign(`/pictures/${box.value}`);
  if (event.key === "a" && (event.ctrlKey || event.metaKey)) {
    event.preventDefault();
    return select(boxes());
  }
  const next = neighbour(box, event.key);
  if (!next) return;
  event.preventDefault();
  goTo(next);
  if (event.shiftKey) select(between(from ?? box, next));
  else from = next;
}

/** @param {HTMLInputElement | undefined} box */
function goTo(box) {
  if (!box) return;
  awaited = isPrinted(box) ? "" : box.value;
  if (isPrinted(box)) box.focus();
  (isPrinted(box) ? box : box.parentElement)?.scrollIntoView({ block: "nearest" });
}

/** The picture beside, or the nearest one above or below. @param {HTMLInputElement} box @param {string} key @returns {HTMLInputElement | undefined} */
function neighbour(box, key) {
  const all = boxes(), at = all.indexOf(box);
  if (key === "ArrowRight") return all[at + 1];
  if (key === "ArrowLeft") return all[at - 1];
  if (key === "Home") return all[0];
  if (key === "End") return all.at(-1);
  if (key !== "ArrowDown" && key !== "ArrowUp") return undefined;
  const middle = (/** @type {Element} */ one) => { const seat = one.getBoundingClientRect(); return { x: (seat.left + seat.right) / 2, y: seat.top }; };
  const here = middle(mountOf(box));
  const beyond = all.filter((one) => isPrinted(one) && (key === "ArrowDown" ? middle(mountOf(one)).y > here.y + 20 : middle(mountOf(one)).y < here.y - 20));
  const far = (/** @type {HTMLInputElement} */ one) => { const there = middle(mountOf(one)); return Math.abs(there.y - here.y) * 10 + Math.abs(there.x - here.x); };
  return beyond.sort((a, b) => far(a) - far(b))[0];
}

/** @param {HTMLInputElement} box @returns {Element} */
const mountOf = (box) => box.closest(".print-mount") ?? box;

/** The sheet is asked for anew, as it is sorted and found; what is selected stays so. */
function refresh() {
  const form = document.getElementById("gather-find");
  if (form) window.htmx.trigger(form, "change");
}

startGather();
