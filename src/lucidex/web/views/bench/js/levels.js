// Levels: a dimension line under the histogram, from what becomes dark to what becomes light, and a pointer for the middle.
// Emits what its form's number fields would: "input" while a pointer moves, "change" at the end.
import { fill, followOver } from "./amounts.js";
import { shape } from "../../../shell/js/drawing.js";

const WIDTH = 256;
const NAMES = ["dark", "middle", "light"];
const LINE = 14;
const AT_REST = [0, 50, 100];
const LEAST_APART = 1; // per cent between the ends

export function listenToLevels() {
  document.addEventListener("htmx:after:swap", paint);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", paint);
  else paint();
  document.addEventListener("input", (event) => { if (/** @type {HTMLInputElement} */ (event.target).form?.matches("[data-levels]")) paint(); });
}

const theForm = () => /** @type {HTMLFormElement | null} */ (document.querySelector("form[data-levels]"));

/** Where the three pointers stand, 0 to 100; the middle one counts between the ends. @param {HTMLFormElement} form */
function places(form) {
  const [dark, middle, light] = NAMES.map((name) => Number(/** @type {HTMLInputElement} */ (form.elements.namedItem(`${name}_percent`)).value));
  return [dark, dark + ((light - dark) * middle) / 100, light];
}

function paint() {
  const form = theForm(), rule = form?.querySelector(".levels-rule");
  if (!form || !(rule instanceof SVGSVGElement)) return;
  if (!rule.dataset.heard) listen(rule);
  const focused = [...rule.querySelectorAll(".level")].indexOf(/** @type {Element} */ (document.activeElement));
  const at = places(form), x = at.map((place) => (place / 100) * WIDTH);
  rule.replaceChildren(shape("path", { class: "level-rule", d: `M${x[0]} ${LINE}H${x[2]}` }), ...at.map((place, i) => pointer(place, i)));
  if (focused >= 0) /** @type {SVGElement} */ ([...rule.querySelectorAll(".level")][focused]).focus({ preventScroll: true });
}

/** @param {number} at @param {number} i */
function pointer(at, i) {
  const x = (at / 100) * WIDTH, label = `${NAMES[i]} pointer`;
  return shape("g", { class: `level level-${NAMES[i]}`, tabindex: 0, role: "slider", "data-pointer": i, "aria-label": label[0].toUpperCase() + label.slice(1), "aria-valuenow": Math.round(at), "aria-valuemin": 0, "aria-valuemax": 100, "aria-valuetext": `${at.toFixed(1)} %` }, [
    shape("rect", { class: "point-area", x: x - 12, y: 0, width: 24, height: 30 }),
    i === 1
      ? shape("path", { class: "level-house", d: `M${x} ${LINE - 1}L${x + 6.5} ${LINE + 6}V${LINE + 15}H${x - 6.5}V${LINE + 6}Z` })
      : shape("path", { class: "level-end", d: `M${x} 0V28M${x - 5} ${LINE + 5}l10 -10` }),
  ]);
}

/** @param {SVGSVGElement} rule */
function listen(rule) {
  rule.dataset.heard = "yes";
  rule.addEventListener("pointerdown", (event) => {
    const form = theForm(), index = indexOf(event);
    if (!form || index < 0 || event.button !== 0) return;
    /** @type {SVGElement} */ ([...rule.querySelectorAll(".level")][index]).focus({ preventScroll: true });
    followOver(rule, event, form, (move) => {
      const box = rule.getBoundingClientRect();
      put(form, index, (100 * (move.clientX - box.left)) / box.width, "input");
    }, () => put(form, index, places(form)[index], "change"));
  });
  rule.addEventListener("dblclick", (event) => {
    const form = theForm(), index = indexOf(event);
    if (form && index >= 0) fill(form, { [`${NAMES[index]}_percent`]: AT_REST[index] }, "change");
    paint();
  });
  rule.addEventListener("keydown", (event) => {
    const form = theForm(), index = indexOf(event), way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!form || index < 0 || !way) return;
    event.preventDefault();
    put(form, index, places(form)[index] + way * (event.shiftKey ? 5 : 0.5), "input");
  });
  rule.addEventListener("keyup", (event) => {
    const form = theForm(), index = indexOf(event);
    if (form && index >= 0 && event.key.startsWith("Arrow")) put(form, index, places(form)[index], "change");
  });
}

/** @param {Event} event */
const indexOf = (event) => Number(/** @type {Element} */ (event.target).closest("[data-pointer]")?.getAttribute("data-pointer") ?? -1);

/** @param {HTMLFormElement} form @param {number} index @param {number} at 0 to 100 @param {string} kind */
function put(form, index, at, kind) {
  const [dark, , light] = places(form), round = (/** @type {number} */ n) => Number(n.toFixed(1));
  const within = (/** @type {number} */ least, /** @type {number} */ most) => round(Math.min(Math.max(at, least), most));
  if (index === 0) fill(form, { dark_percent: within(0, light - LEAST_APART) }, kind);
  else if (index === 2) fill(form, { light_percent: within(dark + LEAST_APART, 100) }, kind);
  else fill(form, { middle_percent: round(Math.min(Math.max((100 * (at - dark)) / (light - dark), 2), 98)) }, kind);
  paint();
}
