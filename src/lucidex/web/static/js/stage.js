// The stage: shows the prepared picture on its ground with live dimension lines, and the window that can be
// dragged, pulled or moved with the keys. Emits one change when a gesture ends; the server answers with the bench.
import { across, corners, down, guides, shape } from "./drawing.js";
import { change } from "./requests.js";
import { clamp, moved, pulled, scaled, whole } from "./window_math.js";

/** @typedef {import("./window_math.js").Win} Win */
/**
 * @typedef {{mode: "whole" | "framing" | "crop" | "level", picture: {width: number, height: number}, preview: string,
 *   output?: {width: number, height: number}, window?: Win, canvas?: Win, largest?: {width: number, height: number},
 *   focal?: {x: number, y: number} | null, shape?: number[] | null, fixed?: boolean, post?: string}} StageFacts
 */

const MARGIN = { left: 30, top: 58, right: 64, bottom: 54 };
const SMALLEST_SHOWN = 260;
const GRIP = 26;
const KEY_PAUSE_MS = 400;

const GRID = 12;
const SHORTEST_LINE = 24;

const state = {
  /** @type {StageFacts | null} */ facts: null,
  /** @type {Win | null} */ win: null,
  view: "work",
  original: false,
  scale: 1,
  origin: { x: 0, y: 0 },
  shown: "",
  /** @type {{x1: number, y1: number, x2: number, y2: number} | null} */ line: null,
  /** @type {number | undefined} */ timer: undefined,
  dragging: false,
};

const byId = (/** @type {string} */ id) => document.getElementById(id);

export function startStage() {
  const begin = () => {
    if (!byId("stage")) return;
    restoreChoices();
    new ResizeObserver(() => draw()).observe(/** @type {HTMLElement} */ (byId("stage")));
    read();
  };
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
  document.addEventListener("htmx:after:swap", () => { if (byId("stage") && !state.dragging) read(); });
  document.addEventListener("input", (event) => {
    // a rough draft while the angle moves: the picture as it is, turned by the difference
    const form = /** @type {HTMLInputElement} */ (event.target).form;
    const field = form?.querySelector("input[type=number]");
    if (form?.dataset.turns === undefined || !(field instanceof HTMLInputElement)) return;
    const image = /** @type {HTMLElement | null} */ (document.querySelector(".stage-picture"));
    if (image) image.style.transform = `rotate(${Number(field.value) - Number(form.dataset.turns)}deg)`;
  });
  document.addEventListener("click", (event) => {
    const tab = /** @type {Element} */ (event.target).closest("[data-view]");
    if (tab) show(tab.getAttribute("data-view") ?? "work");
  });
  document.addEventListener("change", (event) => {
    const select = /** @type {HTMLSelectElement} */ (event.target);
    if (select.id !== "stage-guides" && select.id !== "stage-ground") return;
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

/** Show the picture as it came in while held. @param {boolean} held */
export function holdOriginal(held) {
  if (state.original === held) return;
  state.original = held;
  draw();
}

/** "work" or "result". @param {string} view */
export function show(view) {
  state.view = view;
  draw();
}

export const currentView = () => state.view;

function restoreChoices() {
  for (const id of ["stage-guides", "stage-ground"]) {
    const select = /** @type {HTMLSelectElement | null} */ (byId(id));
    const kept = localStorage.getItem(id);
    if (select && kept) select.value = kept;
  }
  document.documentElement.dataset.ground = localStorage.getItem("stage-ground") ?? "middle";
}

function read() {
  const stage = byId("stage");
  if (!stage) return;
  state.facts = JSON.parse(stage.dataset.stage ?? "null");
  state.win = state.facts?.window ?? null;
  if (!stage.dataset.result && state.view === "result" && !document.querySelector('[data-view="result"]')) state.view = "work";
  draw();
}

function draw() {
  const canvas = byId("stage-canvas"), stage = byId("stage");
  if (!canvas || !stage || !state.facts) return;
  for (const tab of document.querySelectorAll("[data-view]")) {
    tab.setAttribute("aria-pressed", String(tab.getAttribute("data-view") === state.view && !state.original));
  }
  if (state.view === "result" && !state.original) return drawResult(canvas, stage);
  layOut(stage);
  canvas.querySelector(".result")?.remove();
  drawPicture(canvas, stage);
  drawLines(canvas);
  words();
}

/** The very file at its own pixels. @param {HTMLElement} canvas @param {HTMLElement} stage */
function drawResult(canvas, stage) {
  const output = state.facts?.output;
  canvas.replaceChildren();
  state.shown = "";
  const pane = document.createElement("div");
  pane.className = "result";
  pane.tabIndex = 0;
  pane.setAttribute("role", "region");
  pane.setAttribute("aria-label", `The file for ${stage.dataset.place} at actual pixels`);
  const image = document.createElement("img");
  const ratio = window.devicePixelRatio || 1;
  if (output) {
    image.width = output.width / ratio;
    image.height = output.height / ratio;
  }
  if (stage.dataset.clear === "true") image.className = "clear-ground";
  image.alt = stage.dataset.alt ?? "";
  const chosen = /** @type {HTMLImageElement | null} */ (document.querySelector(".frame[data-chosen] img"));
  image.src = stage.dataset.result || chosen?.dataset.src || "";
  pane.append(image);
  canvas.append(pane);
  // begin in the middle, where the subject usually is, and not at an empty corner
  pane.scrollTo((pane.scrollWidth - pane.clientWidth) / 2, (pane.scrollHeight - pane.clientHeight) / 2);
  say("100 %", "");
}

/** Where the picture stands and at which scale. @param {HTMLElement} stage */
function layOut(stage) {
  const picture = shownSize(stage);
  const around = (!state.original && state.facts?.canvas) || { left: 0, top: 0, ...picture };
  const room = { width: stage.clientWidth - MARGIN.left - MARGIN.right, height: stage.clientHeight - MARGIN.top - MARGIN.bottom };
  const largest = Math.max(1, SMALLEST_SHOWN / Math.max(picture.width, picture.height));
  state.scale = Math.max(0.0005, Math.min(room.width / around.width, room.height / around.height, largest));
  state.origin = {
    x: Math.round(MARGIN.left + (room.width - around.width * state.scale) / 2 - around.left * state.scale),
    y: Math.round(MARGIN.top + (room.height - around.height * state.scale) / 2 - around.top * state.scale),
  };
}

/** @param {HTMLElement} stage */
function shownSize(stage) {
  if (!state.original) return /** @type {StageFacts} */ (state.facts).picture;
  const [width, height] = (stage.dataset.originalSize ?? "1 1").split(" ").map(Number);
  return { width, height };
}

/** @param {HTMLElement} canvas @param {HTMLElement} stage */
function drawPicture(canvas, stage) {
  const picture = shownSize(stage);
  const width = Math.max(1, Math.round(picture.width * state.scale)), height = Math.max(1, Math.round(picture.height * state.scale));
  const ratio = window.devicePixelRatio || 1;
  const address = state.original ? stage.dataset.original : state.facts?.preview;
  const wanted = `${address}&w=${clamp(Math.ceil(width * ratio), 1, 4000)}&h=${clamp(Math.ceil(height * ratio), 1, 4000)}`;
  let image = /** @type {HTMLImageElement | null} */ (canvas.querySelector(".stage-picture"));
  if (!image) {
    image = document.createElement("img");
    image.draggable = false;
    canvas.prepend(image);
  }
  image.className = stage.dataset.clear === "true" ? "stage-picture clear-ground" : "stage-picture";
  image.alt = stage.dataset.alt ?? "";
  const place = { left: `${state.origin.x}px`, top: `${state.origin.y}px`, width: `${width}px`, height: `${height}px` };
  if (state.shown === wanted) {
    Object.assign(image.style, place);
    return;
  }
  state.shown = wanted;
  const seat = image, next = new Image();
  next.src = wanted;
  // the old picture stays until the new one can be shown whole
  next.decode().catch(() => undefined).then(() => {
    if (state.shown !== wanted) return;
    seat.src = wanted;
    Object.assign(seat.style, place, { transform: "" });
    canvas.dataset.painted = wanted;
  });
}

/** @param {HTMLElement} canvas */
function drawLines(canvas) {
  let lines = canvas.querySelector("svg");
  if (!lines) {
    lines = /** @type {SVGSVGElement} */ (shape("svg", { class: "stage-lines" }));
    canvas.append(lines);
    listen(lines);
  }
  const focused = lines.contains(document.activeElement);
  const facts = /** @type {StageFacts} */ (state.facts);
  const picture = rect({ left: 0, top: 0, ...facts.picture });
  const parts = state.original ? [] : state.win ? windowParts(facts, picture, state.win)
    : facts.mode === "level" ? levelParts(facts, picture) : wholeParts(facts, picture);
  lines.replaceChildren(...parts);
  if (focused) /** @type {SVGElement | null} */ (lines.querySelector(".window-group"))?.focus({ preventScroll: true });
}

/** @param {StageFacts} facts @param {DOMRect} picture */
function wholeParts(facts, picture) {
  const output = facts.output ?? facts.picture;
  const same = output.width === facts.picture.width && output.height === facts.picture.height;
  const r = facts.canvas ? rect(facts.canvas) : picture;
  const parts = [across(r.left, r.right, r.top - 26, `${output.width} px`), down(r.top, r.bottom, r.right + 26, `${output.height} px`)];
  if (facts.canvas) parts.push(shape("rect", { class: "canvas-edge", x: r.left, y: r.top, width: r.width, height: r.height }), corners(r));
  if (!same) parts.push(across(picture.left, picture.right, r.bottom + 26, `${facts.picture.width} px of the picture`));
  return parts;
}

/** A fine grid to judge by, and the line while it is drawn. @param {StageFacts} facts @param {DOMRect} picture */
function levelParts(facts, picture) {
  let grid = "";
  for (let i = 1; i < GRID; i++) {
    const x = picture.left + (i * picture.width) / GRID, y = picture.top + (i * picture.height) / GRID;
    grid += `M${x} ${picture.top}V${picture.bottom}M${picture.left} ${y}H${picture.right}`;
  }
  const { left: x, top: y, width, height } = picture;
  const parts = [...wholeParts(facts, picture), shape("path", { class: "guide", d: grid, fill: "none" }), shape("rect", { class: "line-ground", x, y, width, height, "data-grip": "line" })];
  if (state.line) {
    const { x1, y1, x2, y2 } = state.line;
    parts.push(shape("path", { class: "level-shade", d: `M${x1} ${y1}L${x2} ${y2}` }), shape("path", { class: "level-line", d: `M${x1} ${y1}L${x2} ${y2}` }));
  }
  return parts;
}

/** @param {StageFacts} facts @param {DOMRect} picture @param {Win} win */
function windowParts(facts, picture, win) {
  const r = rect(win);
  const isCrop = facts.mode === "crop", output = facts.output;
  const grips = facts.fixed ? [] : isCrop && !facts.shape ? ALL_GRIPS : CORNER_GRIPS;
  const group = shape("g", {
    class: "window-group", tabindex: 0, role: "group",
    "aria-label": `${isCrop ? "Crop" : "Framing"} window, ${Math.round(win.width)} by ${Math.round(win.height)} pixels. Arrow keys move it, plus and minus change its size.`,
  }, [
    shape("rect", { class: "window-shade", x: r.left, y: r.top, width: r.width, height: r.height }),
    shape("rect", { class: "window-edge", x: r.left, y: r.top, width: r.width, height: r.height, "data-grip": "move" }),
    guides(r, localStorage.getItem("stage-guides") ?? "thirds"),
    corners(r),
    ...grips.map((grip) => gripOf(r, grip)),
  ]);
  if (!isCrop) group.append(target(facts, r));
  const veil = `M${picture.left} ${picture.top}H${picture.right}V${picture.bottom}H${picture.left}Z M${r.left} ${r.top}V${r.bottom}H${r.right}V${r.top}Z`;
  const whole_ = facts.picture;
  const top = isCrop || !output ? `${Math.round(win.width)} px` : `${output.width} px`;
  const side = isCrop || !output ? `${Math.round(win.height)} px` : `${output.height} px`;
  const foot = isCrop ? `${whole_.width} × ${whole_.height} px before` : `${Math.round(win.width)} px of the picture`;
  const [from, to] = isCrop ? [picture.left, picture.right] : [r.left, r.right];
  return [
    shape("path", { class: "veil", d: veil, "fill-rule": "evenodd" }),
    across(r.left, r.right, picture.top - 26, top),
    down(r.top, r.bottom, picture.right + 26, side),
    across(from, to, picture.bottom + 26, foot),
    group,
  ];
}

const CORNER_GRIPS = ["left top", "right top", "left bottom", "right bottom"];
const ALL_GRIPS = ["top", "bottom", "left", "right", ...CORNER_GRIPS];

/** @param {DOMRect} r @param {string} grip */
function gripOf(r, grip) {
  const half = GRIP / 2;
  const x = grip.includes("left") ? r.left - half : grip.includes("right") ? r.right - half : r.left + half;
  const y = grip.includes("top") ? r.top - half : grip.includes("bottom") ? r.bottom - half : r.top + half;
  const wide = grip.includes("left") || grip.includes("right") ? GRIP : Math.max(0, r.width - GRIP);
  const high = grip.includes("top") || grip.includes("bottom") ? GRIP : Math.max(0, r.height - GRIP);
  const element = shape("rect", { class: "handle", x, y, width: wide, height: high, "data-grip": grip });
  const cursor = { "left top": "nwse-resize", "right bottom": "nwse-resize", "right top": "nesw-resize", "left bottom": "nesw-resize", top: "ns-resize", bottom: "ns-resize", left: "ew-resize", right: "ew-resize" };
  element.style.cursor = cursor[/** @type {keyof typeof cursor} */ (grip)];
  return element;
}

/** The focal point as a small target; while the window moves, its middle. @param {StageFacts} facts @param {DOMRect} r */
function target(facts, r) {
  const still = facts.focal && state.win === facts.window;
  const x = still && facts.focal ? state.origin.x + facts.focal.x * state.scale : r.left + r.width / 2;
  const y = still && facts.focal ? state.origin.y + facts.focal.y * state.scale : r.top + r.height / 2;
  return shape("g", {}, [shape("circle", { class: "focal", cx: x, cy: y, r: 9 }), shape("circle", { class: "focal", cx: x, cy: y, r: 1 })]);
}

/** Screen rectangle of a window. @param {Win} win */
function rect(win) {
  const { x, y } = state.origin, s = state.scale;
  return new DOMRect(x + win.left * s, y + win.top * s, win.width * s, win.height * s);
}

function words() {
  const facts = /** @type {StageFacts} */ (state.facts);
  const scale = `${formatScale(state.scale * (window.devicePixelRatio || 1) * 100)} %`;
  if (state.original) return say(scale, "the original, as it came in");
  if (facts.mode === "level") return say(scale, "draw a line along what should be level or upright");
  if (facts.mode === "crop" || !facts.output) return say(scale, "");
  const shown = state.win ?? { ...facts.picture };
  const spare = shown.width / facts.output.width;
  if (spare < 0.98) return say(scale, `enlarged ${(1 / spare).toFixed(1)} ×: will look soft`);
  return say(scale, spare > 1.02 ? `${spare.toFixed(1)} × the pixels needed` : "pixel for pixel");
}

/** @param {number} percent */
const formatScale = (percent) => (percent < 10 ? percent.toFixed(1) : String(Math.round(percent)));

/** @param {string} scale @param {string} sentence */
function say(scale, sentence) {
  const seats = [byId("stage-scale"), byId("stage-words")];
  [scale, sentence].forEach((text, i) => { const seat = seats[i]; if (seat) seat.textContent = text; });
}

/** @param {SVGElement} lines */
function listen(lines) {
  lines.addEventListener("pointerdown", (event) => {
    const grip = /** @type {Element} */ (event.target).getAttribute("data-grip");
    if (grip === "line" && event.button === 0) return drawLine(lines, event);
    if (!grip || !state.win || !state.facts || event.button !== 0) return;
    takePointer(event, lines);
    /** @type {SVGElement | null} */ (lines.querySelector(".window-group"))?.focus({ preventScroll: true });
    drag(lines, grip, event, { ...state.win }, state.facts);
  });
  lines.addEventListener("keydown", onKey);
}

/** A line along what should be level or upright. @param {SVGElement} lines @param {PointerEvent} start */
function drawLine(lines, start) {
  const ground = lines.getBoundingClientRect(), canvas = /** @type {HTMLElement} */ (byId("stage-canvas"));
  const x1 = start.clientX - ground.left, y1 = start.clientY - ground.top;
  takePointer(start, lines);
  state.dragging = true;
  /** @param {PointerEvent} event */
  const move = (event) => {
    state.line = { x1, y1, x2: event.clientX - ground.left, y2: event.clientY - ground.top };
    drawLines(canvas);
  };
  const end = () => {
    lines.removeEventListener("pointermove", move);
    lines.removeEventListener("pointerup", end);
    lines.removeEventListener("pointercancel", end);
    const line = state.line;
    state.line = null;
    state.dragging = false;
    drawLines(canvas);
    if (line && Math.hypot(line.x2 - x1, line.y2 - y1) >= SHORTEST_LINE) {
      const { x, y } = state.origin, s = state.scale;
      post({ x1: (x1 - x) / s, y1: (y1 - y) / s, x2: (line.x2 - x) / s, y2: (line.y2 - y) / s });
    }
  };
  lines.addEventListener("pointermove", move);
  lines.addEventListener("pointerup", end);
  lines.addEventListener("pointercancel", end);
}

/** @param {PointerEvent} event @param {SVGElement} lines */
function takePointer(event, lines) {
  event.preventDefault();
  lines.setPointerCapture(event.pointerId);
}

/** @param {SVGElement} lines @param {string} grip @param {PointerEvent} start @param {Win} from @param {StageFacts} facts */
function drag(lines, grip, start, from, facts) {
  state.dragging = true;
  /** @param {PointerEvent} event */
  const move = (event) => {
    const dx = (event.clientX - start.clientX) / state.scale, dy = (event.clientY - start.clientY) / state.scale;
    if (grip === "move") state.win = moved(from, dx, dy, facts.picture);
    else {
      const corner = { x: (grip.includes("left") ? from.left : from.left + from.width) + dx, y: (grip.includes("top") ? from.top : from.top + from.height) + dy };
      state.win = pulled(from, grip, corner, facts.picture, facts.shape ?? null);
    }
    if (facts.mode === "crop" && state.win) state.win = whole(state.win, facts.picture);
    drawLines(/** @type {HTMLElement} */ (byId("stage-canvas")));
    words();
  };
  const end = () => {
    lines.removeEventListener("pointermove", move);
    lines.removeEventListener("pointerup", end);
    lines.removeEventListener("pointercancel", end);
    state.dragging = false;
    if (JSON.stringify(from) !== JSON.stringify(state.win)) send();
  };
  lines.addEventListener("pointermove", move);
  lines.addEventListener("pointerup", end);
  lines.addEventListener("pointercancel", end);
}

/** @param {KeyboardEvent} event */
function onKey(event) {
  const { facts, win } = state;
  if (!facts || !win) return;
  const step = event.shiftKey ? Math.max(10, Math.round(facts.picture.width / 20)) : 1;
  /** @type {Record<string, () => Win>} */
  const moves = {
    ArrowLeft: () => moved(win, -step, 0, facts.picture),
    ArrowRight: () => moved(win, step, 0, facts.picture),
    ArrowUp: () => moved(win, 0, -step, facts.picture),
    ArrowDown: () => moved(win, 0, step, facts.picture),
    "+": () => scaled(win, 1 / 1.05, facts.picture),
    "-": () => scaled(win, 1.05, facts.picture),
  };
  const make = moves[event.key];
  if (!make || (facts.fixed && "+-".includes(event.key))) return;
  event.preventDefault();
  state.win = facts.mode === "crop" ? whole(make(), facts.picture) : make();
  drawLines(/** @type {HTMLElement} */ (byId("stage-canvas")));
  words();
  clearTimeout(state.timer);
  state.timer = window.setTimeout(send, KEY_PAUSE_MS);
}

function send() {
  const { win } = state;
  if (win) post({ left: win.left, top: win.top, width: win.width, height: win.height });
}

/** @param {Record<string, number>} values */
function post(values) {
  const address = state.facts?.post;
  if (!address) return;
  const query = new URL(byId("bench")?.dataset.address ?? "", location.href).search;
  void change("POST", address + query, values);
}
