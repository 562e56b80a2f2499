// Entry: wires the small modules together. Emits nothing.
import { listenToAmounts } from "./amounts.js";
import { registerArrivals } from "./arrivals.js";
import { listenToCurves } from "./curve.js";
import { listenToDrafts } from "./drafting.js";
import { startFolding } from "./folding.js";
import { followServer } from "./follow.js";
import { listenForKeys } from "./keys.js";
import { listenToLevels } from "./levels.js";
import { registerLine } from "./line.js";
import { listenToPads } from "./pads.js";
import { listenToLines } from "./readings.js";
import { guardRequests } from "./requests.js";
import { listenToPointer } from "./sampling.js";
import { startStage } from "./stage.js";
import { rememberSizes } from "./sizes.js";
import { sayTimes } from "./times.js";

document.addEventListener("alpine:init", () => {
  registerArrivals(window.Alpine);
  registerLine(window.Alpine);
});
guardRequests();
sayTimes();
startFolding();
listenToLines();
startStage();
// the contact sheet and the proof sheet have keys of their own; no other page carries them
if (document.querySelector("[data-proof]")) void import("./proof.js").then((proof) => proof.startProof());
if (document.querySelector("[data-gather]")) void import("./gather.js").then((gather) => gather.startGather());
if (document.querySelector("[data-weigh]")) void import("./weigh.js").then((weigh) => weigh.startWeigh());
if (document.querySelector("[data-scanner]")) void import("./scanner.js").then((scanner) => scanner.startScanner());
if (document.querySelector("[data-free]")) void import("./free.js").then((free) => free.startFree());
if (document.querySelector("[data-site]")) void import("./site.js").then((site) => site.startSite());
rememberSizes();
followServer();
listenForKeys();
listenToAmounts();
listenToDrafts();
listenToLevels();
listenToCurves();
listenToPads();
listenToPointer();

// a choice that sends its form at once
document.addEventListener("change", (event) => {
  const field = /** @type {HTMLSelectElement} */ (event.target);
  if (field.matches("[data-submits]")) field.form?.requestSubmit();
});

document.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  if (target.closest("[data-dismiss]")) target.closest(".notice")?.remove();
  // a button that sends a form goes with its sheet only after the form was read
  const after = target.closest("[data-close-sheet-after]");
  if (after) window.setTimeout(() => after.closest("[data-sheet]")?.remove());
  if (target.closest("[data-close-sheet]")) target.closest("[data-sheet]")?.remove();
  if (target.closest("[data-focus-line]")) document.getElementById("line")?.focus();
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
