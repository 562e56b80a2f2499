// Entry: wires the small modules together. Emits nothing.
import { registerArrivals } from "./arrivals.js";
import { followServer } from "./follow.js";
import { listenForKeys } from "./keys.js";
import { registerLine } from "./line.js";
import { guardRequests } from "./requests.js";
import { startStage } from "./stage.js";

document.addEventListener("alpine:init", () => {
  registerArrivals(window.Alpine);
  registerLine(window.Alpine);
});
guardRequests();
startStage();
followServer();
listenForKeys();

document.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  if (target.closest("[data-dismiss]")) target.closest(".notice")?.remove();
  if (target.closest("[data-close-sheet]")) target.closest("[data-sheet]")?.remove();
  if (target.closest("[data-focus-line]")) document.getElementById("line")?.focus();
});

document.addEventListener("input", (event) => {
  // a slider and its number box show the same value; the number box is what is sent
  const moved = /** @type {HTMLInputElement} */ (event.target);
  if (!moved.matches("input")) return;
  if (moved.dataset.twin) setTwin(moved.form?.elements.namedItem(moved.dataset.twin), moved.value);
  else if (moved.type === "number") setTwin(moved.form?.querySelector(`[data-twin="${moved.name}"]`), moved.value);
});

/** @param {unknown} twin @param {string} value */
function setTwin(twin, value) {
  if (twin instanceof HTMLInputElement) twin.value = value;
}
