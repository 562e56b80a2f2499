// The stage: shows the prepared picture on its ground with live dimension lines, in one of three views: to work on,
// the result at actual pixels, or beside the original. Emits nothing; gestures.js sends what a gesture changed.
import { clearBeside, drawBeside } from "./beside.js";
import { addressOfFrame } from "./follow.js";
import { shape } from "../../../shell/js/drawing.js";
import { readModes } from "./mode_door.js";
import { FOCUSABLE, listenToStage } from "./gestures.js";
import { overlay } from "./overlay.js";
import { imageOf, showPicture } from "./pictures.js";
import { listenToHistograms } from "./histogram.js";
import { drawMap, layOut, moveSight, watchSight, zoomAbout } from "./sight.js";
import { byId, formatScale, ratio, say, shownSize, state } from "./stage_state.js";

/** @typedef {import("./stage_state.js").StageFacts} StageFacts */

// what works on the stage only at times, by its mode
const MODES = { area: () => import("./areas.js"), text: () => import("./words.js"), notes: () => import("./notes.js") };
const CHOICES = ["stage-guides", "stage-ground"];
const AIR = 72; // around the page on which a place is shown

export function startStage() {
  const begin = () => {
    if (!byId("stage")) return;
    restoreChoices();
    new ResizeObserver(() => draw()).observe(/** @type {HTMLElement} */ (byId("stage")));
    listenBeside();
    read();
  };
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
  watchSight(draw);
  listenToHistograms(draw);
  document.addEventListener("htmx:after:swap", () => { if (byId("stage") && !state.dragging) read(); });
  document.addEventListener("input", draftTurn);
  document.addEventListener("click", (event) => {
    const tab = /** @type {Element} */ (event.target).closest("[data-view]");
    if (tab) show(tab.getAttribute("data-view") ?? "work");
  });
  document.addEventListener("change", (event) => {
    const select = /** @type {HTMLSelectElement} */ (event.target);
    if (!CHOICES.includes(select.id)) return;
    localStorage.setItem(select.id, select.value);
    restoreChoices();
    draw();
  });
  for (const kind of ["pointerdown", "pointerup", "pointercancel"]) {
    document.addEventListener(kind, (event) => {
      const held = /** @type {Element} */ (event.target).closest?.("[data-hold-original]");
      if (kind === "pointerdown" ? held : state.original) holdOriginal(kind === "pointerdown");
    });
  }
}

/** A rough draft while the angle moves: the picture as it is, turned by the difference. @param {Event} event */
function draftTurn(event) {
  const form = /** @type {HTMLInputElement} */ (event.target).form;
  const field = form?.querySelector("input[type=number]");
  if (form?.dataset.turns === undefined || !(field instanceof HTMLInputElement)) return;
  const image = /** @type {HTMLElement | null} */ (document.querySelector(".stage-picture"));
  if (image) image.style.transform = `rotate(${Number(field.value) - Number(form.dataset.turns)}deg)`;
}

/** Show the picture as it came in while held. @param {boolean} held */
export function holdOriginal(held) {
  if (state.original === held) return;
  state.original = held;
  draw();
}

/** "work", "result" or "beside". @param {string} view */
export function show(view) {
  state.view = view;
  draw();
}

/** In place: at true size, or as it fits the stage. */
export function trueSize() {
  state.trueSize = !state.trueSize;
  show("place");
}

export const currentView = () => state.view;

function restoreChoices() {
  for (const id of CHOICES) {
    const select = /** @type {HTMLSelectElement | null} */ (byId(id));
    const kept = localStorage.getItem(id);
    if (select && kept) select.value = kept;
  }
  document.documentElement.dataset.ground = localStorage.getItem("stage-ground") ?? "middle";
}

function read() {
  const stage = byId("stage");
  if (!stage) return;
  const before = state.facts?.picture;
  state.facts = JSON.parse(stage.dataset.stage ?? "null");
  const facts = /** @type {StageFacts} */ (state.facts);
  if (before && (before.width !== facts.picture.width || before.height !== facts.picture.height)) state.middle = null;
  state.win = facts.window ?? null;
  state.points = facts.points ?? [];
  state.focal = facts.focal ?? null;
  readModes(MODES, draw);
  if (["result", "place"].includes(state.view) && !document.querySelector('[data-view="result"]')) state.view = "work";
  draw();
}

function draw() {
  const canvas = byId("stage-canvas"), stage = byId("stage");
  if (!canvas || !stage || !state.facts) return;
  for (const tab of document.querySelectorAll("[data-view]")) {
    tab.setAttribute("aria-pressed", String(tab.getAttribute("data-view") === state.view && !state.original));
  }
  const view = state.original ? "work" : state.view;
  if (view !== "beside") clearBeside(canvas);
  if (view === "result") return drawResult(canvas, stage);
  if (view === "place") return drawInPlace(canvas, stage);
  canvas.querySelector(".result")?.remove();
  layOut(stage);
  if (view === "beside") {
    canvas.querySelectorAll(".stage-picture, .stage-lines, .map").forEach((one) => one.remove());
    return drawBeside(canvas, stage, () => { canvas.dataset.painted = "beside"; });
  }
  drawPicture(canvas, stage);
  drawLines(canvas);
  drawMap(canvas, stage);
  words();
}

/** @param {HTMLElement} canvas @param {HTMLElement} stage */
function drawPicture(canvas, stage) {
  const image = imageOf(canvas, "stage-picture");
  image.classList.toggle("clear-ground", stage.dataset.clear === "true");
  image.alt = stage.dataset.alt ?? "";
  const room = { width: stage.clientWidth, height: stage.clientHeight };
  const address = state.original ? stage.dataset.original ?? "" : (state.facts?.preview ?? "") + (state.marks ? "&mark=true" : "");
  const sight = { picture: shownSize(), scale: state.scale, origin: state.origin, room, address, closer: state.closer > 1 };
  showPicture(image, sight, () => { canvas.dataset.painted = image.src; });
}

/** @param {HTMLElement} canvas */
function drawLines(canvas) {
  let lines = canvas.querySelector("svg");
  if (!lines) {
    lines = /** @type {SVGSVGElement} */ (shape("svg", { class: "stage-lines" }));
    canvas.append(lines);
    listenToStage(lines, draw);
  }
  const index = [...lines.querySelectorAll(FOCUSABLE)].indexOf(/** @type {Element} */ (document.activeElement));
  lines.replaceChildren(...(state.original ? [] : overlay()));
  lines.style.cursor = state.closer > 1 ? "grab" : "";
  if (index >= 0) /** @type {SVGElement | undefined} */ ([...lines.querySelectorAll(FOCUSABLE)][index])?.focus({ preventScroll: true });
}

/** The very file at its own pixels. @param {HTMLElement} canvas @param {HTMLElement} stage */
function drawResult(canvas, stage) {
  const output = state.facts?.output;
  canvas.replaceChildren();
  const pane = document.createElement("div");
  pane.className = "result";
  pane.tabIndex = 0;
  pane.setAttribute("role", "region");
  pane.setAttribute("aria-label", `The file for ${stage.dataset.place} at actual pixels`);
  const image = document.createElement("img");
  if (output) {
    image.width = output.width / ratio();
    image.height = output.height / ratio();
  }
  if (stage.dataset.clear === "true") image.className = "clear-ground";
  image.alt = stage.dataset.alt ?? "";
  const chosen = /** @type {HTMLImageElement | null} */ (document.querySelector(".frame[data-chosen] img"));
  image.src = stage.dataset.result || addressOfFrame(chosen);
  pane.append(image);
  canvas.append(pane);
  // begin in the middle, where the subject usually is, and not at an empty corner
  pane.scrollTo((pane.scrollWidth - pane.clientWidth) / 2, (pane.scrollHeight - pane.clientHeight) / 2);
  say("100 %", "");
}

/** The file as the place shows it, beside running text on a white page. @param {HTMLElement} canvas @param {HTMLElement} stage */
function drawInPlace(canvas, stage) {
  const shown = state.facts?.shown;
  if (!shown) return show("work");
  canvas.replaceChildren();
  const pane = document.createElement("div");
  pane.className = "result in-place";
  pane.tabIndex = 0;
  pane.setAttribute("role", "region");
  pane.setAttribute("aria-label", `${stage.dataset.place}, ${shown.said}`);
  const sheet = document.createElement("div"), image = document.createElement("img");
  sheet.className = "running-text";
  sheet.style.setProperty("zoom", "1");
  image.width = shown.width;
  image.height = shown.height;
  image.alt = stage.dataset.alt ?? "";
  const chosen = /** @type {HTMLImageElement | null} */ (document.querySelector(".frame[data-chosen] img"));
  image.src = `${shown.address}?v=${encodeURIComponent(stage.dataset.result || addressOfFrame(chosen))}`;
  const lines = () => Object.assign(document.createElement("p"), { className: "lines", ariaHidden: "true" });
  sheet.append(lines(), image, lines(), lines());
  pane.append(sheet);
  canvas.append(pane);
  // the whole page is seen, unless somebody asks for true size
  const fits = Math.min(1, (stage.clientWidth - AIR) / sheet.offsetWidth, (stage.clientHeight - AIR) / sheet.offsetHeight);
  const scale = state.trueSize ? 1 : fits;
  sheet.style.setProperty("zoom", String(scale));
  say(`${formatScale(scale * 100)} %`, scale === 1 ? shown.said : "T: at true size");
}

/** Beside each other the panes have no lines over them, so wheel and dragging are heard here. */
function listenBeside() {
  const canvas = /** @type {HTMLElement} */ (byId("stage-canvas"));
  canvas.addEventListener("compared", () => { clearBeside(canvas); draw(); });
  canvas.addEventListener("wheel", (event) => {
    const pane = /** @type {Element} */ (event.target).closest(".beside");
    if (!pane) return;
    event.preventDefault();
    const stage = /** @type {HTMLElement} */ (byId("stage"));
    zoomAbout({ x: stage.clientWidth / 2, y: stage.clientHeight / 2 }, Math.exp(-event.deltaY / 500));
  }, { passive: false });
  canvas.addEventListener("pointermove", (event) => {
    if (event.buttons === 1 && /** @type {Element} */ (event.target).closest(".beside")) moveSight(event.movementX, event.movementY);
  });
}

function words() {
  const facts = /** @type {StageFacts} */ (state.facts);
  const scale = `${formatScale(state.scale * ratio() * 100)} %`;
  if (state.original) return say(scale, "the original, as it came in");
  const is_small = facts.judge.length > 0 && state.scale * ratio() < 0.999;
  if (is_small) return say(scale, "judge at 100 %", `Smaller than that, nothing is promised of: ${facts.judge.join(", ")}`);
  if (facts.mode === "crop" && state.win) return say(scale, `${Math.round(state.win.width)} × ${Math.round(state.win.height)} px`);
  if (!facts.output) return say(scale, "");
  const spare = state.win ? state.win.width / facts.output.width : 1 / (facts.enlargement ?? 1);
  if (spare < 0.98) return say(scale, `enlarged ${(1 / spare).toFixed(1 / spare < 1.1 ? 2 : 1)} ×`);
  return say(scale, spare > 1.02 ? `${spare.toFixed(1)} × the pixels` : "pixel for pixel");
}
