// Pads: a mark on a square for two amounts at once, warmer to the right and magenta upwards.
// Emits what its form's two number fields would: "input" while the mark moves, "change" at the end.
import { fill, followOver } from "./amounts.js";
import { shape } from "../../../shell/js/drawing.js";

const REACH = 88; // of the drawing's 100, so that the mark stays inside

export function listenToPads() {
  document.addEventListener("htmx:after:swap", paint);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", paint);
  else paint();
  document.addEventListener("input", (event) => { if (/** @type {Element} */ (event.target).closest(".pads")) paint(); });
}

/** @param {SVGSVGElement} pad */
function fields(pad) {
  const form = /** @type {HTMLFormElement} */ (pad.closest("form"));
  const names = (pad.dataset.pad ?? "").split(" ");
  const values = names.map((name) => Number(/** @type {HTMLInputElement} */ (form.elements.namedItem(name)).value));
  return { form, names, values };
}

function paint() {
  for (const pad of /** @type {NodeListOf<SVGSVGElement>} */ (document.querySelectorAll("svg[data-pad]"))) {
    if (!pad.dataset.heard) listen(pad);
    const [warmth, tint] = fields(pad).values, x = (warmth * REACH) / 100, y = (-tint * REACH) / 100;
    let ticks = "";
    for (let at = -REACH; at <= REACH; at += REACH / 4) ticks += `M${at} -4V4M-4 ${at}H4`;
    const hadFocus = pad.contains(document.activeElement);
    const mark = shape("g", { class: "pad-mark", tabindex: 0, role: "slider", "aria-label": `${pad.dataset.words}: arrow keys change warmth and tint`, "aria-valuenow": warmth, "aria-valuemin": -100, "aria-valuemax": 100, "aria-valuetext": `warmth ${warmth}, tint ${tint}` }, [
      shape("rect", { class: "point-area", x: x - 32, y: y - 32, width: 64, height: 64 }),
      shape("rect", { class: "curve-mark", x: x - 10, y: y - 10, width: 20, height: 20 }),
    ]);
    pad.replaceChildren(shape("path", { class: "pad-lines", d: `M-100 0H100M0 -100V100${ticks}` }), shape("path", { class: "pad-way", d: `M0 0L${x} ${y}` }), mark);
    if (hadFocus) /** @type {SVGElement} */ (mark).focus({ preventScroll: true });
  }
}

/** @param {SVGSVGElement} pad */
function listen(pad) {
  pad.dataset.heard = "yes";
  pad.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    const { form } = fields(pad);
    const to = (/** @type {MouseEvent} */ at) => {
      const box = pad.getBoundingClientRect();
      return [((at.clientX - box.left) / box.width) * 2 - 1, 1 - ((at.clientY - box.top) / box.height) * 2].map((share) => (share * 100 * 100) / REACH);
    };
    let moved = false;
    followOver(pad, event, form, (move) => { moved = true; put(pad, to(move), "input"); }, () => put(pad, moved ? fields(pad).values : to(event), "change"));
  });
  pad.addEventListener("dblclick", () => put(pad, [0, 0], "change"));
  pad.addEventListener("keydown", (event) => {
    const by = event.shiftKey ? 10 : 1, [warmth, tint] = fields(pad).values;
    const way = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[event.key];
    if (!way) return;
    event.preventDefault();
    put(pad, [warmth + way[0], tint + way[1]], "input");
  });
  pad.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow")) put(pad, fields(pad).values, "change"); });
}

/** @param {SVGSVGElement} pad @param {number[]} values @param {string} kind */
function put(pad, values, kind) {
  const { form, names } = fields(pad);
  const held = values.map((value) => Math.round(Math.min(Math.max(value, -100), 100)));
  fill(form, { [names[0]]: held[0], [names[1]]: held[1] }, kind);
  paint();
}
