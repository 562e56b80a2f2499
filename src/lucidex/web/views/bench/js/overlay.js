// What is drawn over the picture for each mode: dimension lines, the window with its handles, the level line, the
// four points, the focal point. Shapes only; gestures live in gestures.js.
import { modeTool } from "./mode_door.js";
import { across, corners, down, guides, shape } from "../../../shell/js/drawing.js";
import { rect, state, toScreen } from "./stage_state.js";
import { clamp } from "../../../shell/js/window_math.js";

/** @typedef {import("../../../shell/js/window_math.js").Win} Win */
/** @typedef {import("./stage_state.js").StageFacts} StageFacts */

const GRIP = 26;
const GRID = 12;
const POINT_NAMES = ["Top left", "Top right", "Bottom right", "Bottom left"];
const CORNER_GRIPS = ["left top", "right top", "left bottom", "right bottom"];
const ALL_GRIPS = ["top", "bottom", "left", "right", ...CORNER_GRIPS];
const CURSORS = /** @type {Record<string, string>} */ ({
  "left top": "nwse-resize", "right bottom": "nwse-resize", "right top": "nesw-resize", "left bottom": "nesw-resize",
  top: "ns-resize", bottom: "ns-resize", left: "ew-resize", right: "ew-resize",
});

/** Everything over the picture, for the facts as they are. @returns {Element[]} */
export function overlay() {
  // looking closer, the picture's edges are out of sight; the counts then stand at the foot of the stage
  return state.closer > 1 ? parts().filter((part) => !part.hasAttribute("data-dimension")) : parts();
}

/** @returns {Element[]} */
function parts() {
  const facts = /** @type {StageFacts} */ (state.facts);
  const picture = rect({ left: 0, top: 0, ...facts.picture });
  if (state.win) return windowParts(facts, picture, state.win);
  /** @type {Partial<Record<StageFacts["mode"], () => Element[]>>} */
  const modes = { level: () => levelParts(facts, picture), quad: () => quadParts(facts, picture), focal: () => focalParts(facts, picture), grey: () => greyParts(facts, picture) };
  if (["area", "notes", "text"].includes(facts.mode)) return [...sides(facts, picture), ...(modeTool()?.parts(picture) ?? [])];
  return (modes[facts.mode] ?? (() => wholeParts(facts, picture)))();
}

/** How large the picture is, where what is drawn needs all the room within. @param {StageFacts} facts @param {DOMRect} picture */
const sides = (facts, picture) => [...(facts.mode === "text" ? [across(picture.left, picture.right, above(picture.top), `${facts.picture.width} px`)] : []), down(picture.top, picture.bottom, beside(picture.right), `${facts.picture.height} px`)];

const above = (/** @type {number} */ y) => y - 26;

const below = (/** @type {number} */ y) => y + 26;

const beside = (/** @type {number} */ x) => x + 26;

/** @param {StageFacts} facts @param {DOMRect} picture */
function wholeParts(facts, picture) {
  const output = facts.output ?? facts.picture;
  const same = output.width === facts.picture.width && output.height === facts.picture.height;
  const r = facts.canvas ? rect(facts.canvas) : picture;
  const parts = [...overlayParts(facts, r), across(r.left, r.right, above(r.top), `${output.width} px`), down(r.top, r.bottom, beside(r.right), `${output.height} px`)];
  if (facts.canvas) parts.push(shape("rect", { class: "canvas-edge", x: r.left, y: r.top, width: r.width, height: r.height }), corners(r));
  if (!same) parts.push(across(picture.left, picture.right, below(r.bottom), `${facts.picture.width} px of the picture`));
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

/** Four points that should become a rectangle, with the grid that it would carry. @param {StageFacts} facts @param {DOMRect} picture */
function quadParts(facts, picture) {
  const spots = state.points.map(toScreen);
  const [a, b, c, d] = spots;
  const mix = (/** @type {{x: number, y: number}} */ p, /** @type {{x: number, y: number}} */ q, /** @type {number} */ t) => `${p.x + (q.x - p.x) * t} ${p.y + (q.y - p.y) * t}`;
  let grid = "";
  for (const t of [1 / 4, 1 / 2, 3 / 4]) grid += `M${mix(a, b, t)}L${mix(d, c, t)}M${mix(a, d, t)}L${mix(b, c, t)}`;
  const outline = `M${spots.map((p) => `${p.x} ${p.y}`).join("L")}Z`;
  const points = spots.map((p, i) => {
    const point = shape("g", {
      class: "point", tabindex: 0, role: "slider", "data-point": i, "aria-valuenow": Math.round(state.points[i].x),
      "aria-valuetext": `${Math.round(state.points[i].x)} by ${Math.round(state.points[i].y)} pixels`, "aria-label": `${POINT_NAMES[i]} point. Arrow keys move it.`,
    }, [shape("rect", { class: "point-area", x: p.x - GRIP / 2, y: p.y - GRIP / 2, width: GRIP, height: GRIP, "data-grip": "point", "data-point": i }), pointMark(p, i)]);
    return point;
  });
  return [...wholeParts(facts, picture), shape("path", { class: "level-shade", d: outline }), shape("path", { class: "guide", d: grid, fill: "none" }), shape("path", { class: "level-line", d: outline }), ...points];
}

/** A corner mark that opens towards the inside. @param {{x: number, y: number}} p @param {number} i */
function pointMark(p, i) {
  const sx = i === 0 || i === 3 ? 1 : -1, sy = i < 2 ? 1 : -1;
  return shape("path", { class: "corner", d: `M${p.x + 14 * sx} ${p.y}H${p.x}V${p.y + 14 * sy}` });
}

/** @param {StageFacts} facts @param {DOMRect} picture */
function focalParts(facts, picture) {
  const at = toScreen(state.focal ?? { x: facts.picture.width / 2, y: facts.picture.height / 2 });
  const { left: x, top: y, width, height } = picture;
  const group = shape("g", {
    class: "point", tabindex: 0, role: "slider", "aria-label": "Focal point. Arrow keys move it.", "aria-valuenow": Math.round(state.focal?.x ?? 0),
    "aria-valuetext": `${Math.round(state.focal?.x ?? 0)} by ${Math.round(state.focal?.y ?? 0)} pixels`,
  }, [
    shape("path", { class: "level-shade", d: `M${at.x - 30} ${at.y}h60M${at.x} ${at.y - 30}v60` }),
    shape("path", { class: "level-line", d: `M${at.x - 30} ${at.y}h60M${at.x} ${at.y - 30}v60` }),
    shape("circle", { class: "focal", cx: at.x, cy: at.y, r: 12 }),
  ]);
  return [...wholeParts(facts, picture), ...(facts.found ?? []).map(foundPart), shape("rect", { class: "line-ground", x, y, width, height, "data-grip": "focal" }), group];
}

/** What was found in the picture and should stay whole. @param {Win} box */
function foundPart(box) {
  const r = rect(box);
  return shape("rect", { class: "canvas-edge", "data-found": "", x: r.left, y: r.top, width: r.width, height: r.height });
}

/** Where a click says what should be grey. @param {StageFacts} facts @param {DOMRect} picture */
function greyParts(facts, picture) {
  const { left: x, top: y, width, height } = picture;
  return [...wholeParts(facts, picture), shape("rect", { class: "line-ground", x, y, width, height, "data-grip": "grey" })];
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
  const whole = facts.picture, out = isCrop ? r : finishedAround(facts, r);
  const top = isCrop || !output ? `${Math.round(win.width)} px` : `${output.width} px`;
  const side = isCrop || !output ? `${Math.round(win.height)} px` : `${output.height} px`;
  const foot = isCrop ? `${whole.width} × ${whole.height} px before` : `${Math.round(win.width)} px of the picture`;
  const [from, to] = isCrop ? [picture.left, picture.right] : [r.left, r.right];
  return [
    shape("path", { class: "veil", d: veil, "fill-rule": "evenodd" }),
    ...overlayParts(facts, out),
    across(out.left, out.right, above(Math.min(out.top, picture.top)), top),
    down(out.top, out.bottom, beside(Math.max(out.right, picture.right)), side),
    across(from, to, below(picture.bottom), foot),
    group,
  ];
}

/** The whole finished size around the part of the picture that is shown in it. @param {StageFacts} facts @param {DOMRect} r */
function finishedAround({ overlay }, r) {
  return overlay ? new DOMRect(r.left + overlay.left * r.width, r.top + overlay.top * r.height, overlay.width * r.width, overlay.height * r.height) : r;
}

/** All that is drawn onto the finished size. @param {StageFacts} facts @param {DOMRect} r the finished size */
function overlayParts({ overlay }, r) {
  if (!overlay) return [];
  return [shape("image", { class: "stamp", href: overlay.address, preserveAspectRatio: "none", x: r.left, y: r.top, width: r.width, height: r.height })];
}

/** @param {DOMRect} r @param {string} grip */
function gripOf(r, grip) {
  const half = GRIP / 2;
  const x = grip.includes("left") ? r.left - half : grip.includes("right") ? r.right - half : r.left + half;
  const y = grip.includes("top") ? r.top - half : grip.includes("bottom") ? r.bottom - half : r.top + half;
  const wide = grip.includes("left") || grip.includes("right") ? GRIP : Math.max(0, r.width - GRIP);
  const high = grip.includes("top") || grip.includes("bottom") ? GRIP : Math.max(0, r.height - GRIP);
  const element = shape("rect", { class: "handle", x, y, width: wide, height: high, "data-grip": grip });
  element.style.cursor = CURSORS[grip];
  return element;
}

/** The focal point as a small target; while the window moves, its middle. @param {StageFacts} facts @param {DOMRect} r */
function target(facts, r) {
  const still = facts.focal && state.win === facts.window;
  const at = still && facts.focal ? toScreen(facts.focal) : { x: r.left + r.width / 2, y: r.top + r.height / 2 };
  const held = { x: clamp(at.x, r.left, r.right), y: clamp(at.y, r.top, r.bottom) };
  return shape("g", {}, [shape("circle", { class: "focal", cx: held.x, cy: held.y, r: 9 }), shape("circle", { class: "focal", cx: held.x, cy: held.y, r: 1 })]);
}
