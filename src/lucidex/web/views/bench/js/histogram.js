// Histograms: as a silhouette before the step, as a line after it; the share of what is clipped, and marks for it on the
// picture. Emits a redraw of the stage when marks are asked for.
import { shape } from "../../../shell/js/drawing.js";
import { byId, state } from "./stage_state.js";

/** @typedef {{luma: number[], red: number[], green: number[], blue: number[], black: number, white: number}} Histogram */

/** @type {{address: string, now: Histogram | null, before: Histogram | null}} */
const known = { address: "", now: null, before: null };
let channel = "luma";
/** @type {() => void} */
let redraw = () => undefined;

/** @param {() => void} draw */
export function listenToHistograms(draw) {
  redraw = draw;
  document.addEventListener("drafted", (event) => {
    known.now = /** @type {CustomEvent} */ (event).detail ?? known.now;
    paint();
  });
  document.addEventListener("change", (event) => {
    const field = /** @type {HTMLInputElement} */ (event.target);
    if (field.matches("[data-channel]")) {
      channel = field.value;
      event.stopPropagation(); // it says what is looked at, and changes nothing
    } else if (field.matches('form[data-levels] [name="channel"]')) channel = field.value === "all" ? "luma" : field.value;
    else return;
    paint();
  }, true);
  document.addEventListener("click", (event) => {
    if (!/** @type {Element} */ (event.target).closest("[data-mark]")) return;
    state.marks = !state.marks;
    paint();
    redraw();
  });
  document.addEventListener("htmx:after:swap", () => void refresh());
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", () => void refresh());
  else void refresh();
}

/** Which tones are counted behind a curve. @param {string} name */
export function showChannel(name) {
  channel = name;
  paint();
}

async function refresh() {
  const seat = /** @type {HTMLElement | null} */ (document.querySelector("[data-histogram]"));
  if (!seat) {
    if (state.marks) { state.marks = false; redraw(); }
    return;
  }
  paint();
  const address = seat.dataset.histogram ?? "";
  if (known.address === address) return;
  known.address = address;
  const answer = await fetch(address).catch(() => null);
  if (!answer?.ok || known.address !== address) return;
  Object.assign(known, await answer.json());
  paint();
}

function paint() {
  for (const seat of document.querySelectorAll("[data-histogram]")) {
    const svg = seat.querySelector("svg");
    if (!svg) continue;
    const { width, height } = svg.viewBox.baseVal, behind = svg.classList.contains("curve-back");
    const parts = [shape("path", { class: "silhouette", d: outline(known.before ?? known.now, width, height, true) })];
    if (!behind) parts.push(shape("path", { class: "tone-line", d: outline(known.now, width, height, false) }));
    svg.replaceChildren(...parts);
  }
  for (const end of /** @type {("black" | "white")[]} */ (["black", "white"])) {
    const share = known.now?.[end] ?? 0, words = share === 0 ? "0 %" : share < 0.001 ? "< 0.1 %" : `${(100 * share).toFixed(1)} %`;
    document.querySelectorAll(`[data-clipped="${end}"]`).forEach((seat) => { seat.textContent = words; });
  }
  document.querySelectorAll("[data-mark]").forEach((button) => button.setAttribute("aria-pressed", String(state.marks)));
  document.querySelectorAll("select[data-channel]").forEach((select) => { /** @type {HTMLSelectElement} */ (select).value = channel; });
  byId("stage-canvas")?.classList.toggle("marked", state.marks);
}

/** @param {Histogram | null} histogram @param {number} width @param {number} height @param {boolean} filled */
function outline(histogram, width, height, filled) {
  const shares = histogram?.[/** @type {"luma"} */ (channel)] ?? [];
  if (!shares.length) return "";
  const by = width / shares.length, y = (/** @type {number} */ share) => (height - 1 - (share / 1000) * (height - 2)).toFixed(1);
  const line = shares.map((share, i) => `${((i + 0.5) * by).toFixed(1)} ${y(share)}`).join("L");
  return filled ? `M0 ${height}L${line}L${width} ${height}Z` : `M${line}`;
}
