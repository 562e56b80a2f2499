// Entry of every page: wires what each of them has. What belongs to one view is wired by its own script. Emits nothing.
import { askAgain } from "./again.js";
import { registerArrivals } from "./arrivals.js";
import { listenToFileFields } from "./file_fields.js";
import { closeByEscape } from "./opened.js";
import { listenToLines } from "./readings.js";
import { guardRequests, say } from "./requests.js";
import { rememberSizes } from "./sizes.js";
import { goByGroups } from "./roving.js";
import { sayTimes } from "./times.js";
import { keepTyped } from "./typed.js";

document.addEventListener("alpine:init", () => registerArrivals(window.Alpine));
guardRequests();
sayTimes();
listenToLines();
rememberSizes();
keepTyped();
askAgain();
goByGroups();
closeByEscape();
listenToFileFields();

// a choice that sends its form at once
document.addEventListener("change", (event) => {
  const field = /** @type {HTMLSelectElement} */ (event.target);
  if (field.matches("[data-submits]")) field.form?.requestSubmit();
});

// a button that cannot be taken back asks first, and says what goes; with nothing ticked it says so in place
document.addEventListener("click", (event) => {
  const button = /** @type {HTMLButtonElement | null} */ (/** @type {Element} */ (event.target).closest("[data-ticked]"));
  if (!button?.form) return;
  const ticked = [...button.form.querySelectorAll("input[type=checkbox]:checked")].map((box) => box.closest("label")?.textContent?.trim() ?? "");
  const names = ticked.length > 3 ? `${ticked.slice(0, 3).join(", ")} and ${ticked.length - 3} more` : ticked.join(", ");
  if (!ticked.length) say(button.dataset.ticked ?? "");
  if (!ticked.length || (button.dataset.asks && !window.confirm(button.dataset.asks.replace("{names}", names)))) event.preventDefault();
});

document.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  if (target.closest("[data-tick-all]")) {
    const boxes = /** @type {HTMLInputElement[]} */ ([...(target.closest("form")?.querySelectorAll("input[type=checkbox]") ?? [])]);
    const rest = boxes.some((box) => !box.checked);
    for (const box of boxes) box.checked = rest;
  }
  if (target.closest("[data-dismiss]")) target.closest(".notice")?.remove();
  // a button that sends a form goes with its sheet only after the form was read
  const after = target.closest("[data-close-sheet-after]");
  if (after) window.setTimeout(() => after.closest("[data-sheet]")?.remove());
  if (target.closest("[data-close-sheet]")) target.closest("[data-sheet]")?.remove();
  const focuses = target.closest("[data-focus-line]")?.getAttribute("data-focus-line");
  if (typeof focuses === "string") document.getElementById(focuses || "line")?.focus();
});

document.addEventListener("DOMContentLoaded", () => {
  // what was typed before the scripts were there is answered too
  for (const field of document.querySelectorAll("input[hx-get]")) {
    if (field instanceof HTMLInputElement && field.value !== field.defaultValue) field.dispatchEvent(new Event("input", { bubbles: true }));
  }
});

document.addEventListener("input", (event) => {
  // a slider and its number box show the same value; the number box is what is sent
  const moved = /** @type {HTMLInputElement} */ (event.target);
  if (!moved.matches("input")) return;
  if (moved.dataset.fills) return fillColour(moved);
  if (moved.dataset.twin) setTwin(moved.form?.elements.namedItem(moved.dataset.twin), moved.value);
  else if (moved.type === "number") setTwin(moved.form?.querySelector(`[data-twin="${moved.name}"]`), moved.value);
}, true);

/** A colour field chooses the radio button that stands for "a colour". @param {HTMLInputElement} field */
function fillColour(field) {
  const radio = /** @type {HTMLInputElement | null} */ (field.form?.querySelector(`[name="${field.dataset.fills}"][data-colour]`) ?? null);
  if (!radio) return;
  radio.value = field.value;
  radio.checked = true;
}

/** @param {unknown} twin @param {string} value */
function setTwin(twin, value) {
  if (twin instanceof HTMLInputElement) twin.value = value;
}
