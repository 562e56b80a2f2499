// Areas as they are seen on the stage: their edges, the handles of the chosen one, the source mark. Shapes only.
import { shape } from "../../../shell/js/drawing.js";
import { state, toScreen } from "./stage_state.js";

/** @typedef {import("./stage_state.js").AreaShape} AreaShape */
/** @typedef {import("./stage_state.js").Spot} Spot */

const GRIP = 24;
const MARK = 9;
const TURN_AT = 30; // screen pixels above the edge
/** The handles of an oval lie on its edge, those of a box at its corners. */
export const SIDES = /** @type {Record<string, [number, number][]>} */ ({
  ellipse: [[0, -1], [1, 0], [0, 1], [-1, 0]],
  rectangle: [[-1, -1], [1, -1], [1, 1], [-1, 1]],
});

export const isTurned = (/** @type {AreaShape} */ one) => one.kind === "ellipse" || one.kind === "rectangle";

/** A point of a shape's own frame, in halves of its sides, on the picture. @param {AreaShape} one @param {number} a @param {number} b @returns {Spot} */
export function offset(one, a, b) {
  const turn = ((one.angle ?? 0) * Math.PI) / 180, x = (a * (one.width ?? 0)) / 2, y = (b * (one.height ?? 0)) / 2;
  return { x: (one.x ?? 0) + x * Math.cos(turn) - y * Math.sin(turn), y: (one.y ?? 0) + x * Math.sin(turn) + y * Math.cos(turn) };
}

/** @param {number[][]} points @param {boolean} closed */
function lines(points, closed) {
  return `M${points.map(([x, y]) => { const at = toScreen({ x, y }); return `${at.x.toFixed(1)} ${at.y.toFixed(1)}`; }).join("L")}${closed ? "Z" : ""}`;
}

/** The path of a shape's edge on the screen; of a stroke, its middle. @param {AreaShape} one */
function edge(one) {
  if (one.points) return lines(one.edge ?? one.points, one.kind === "outline");
  if (one.kind === "rectangle") return lines(SIDES.rectangle.map(([a, b]) => { const at = offset(one, a, b); return [at.x, at.y]; }), true);
  const rx = ((one.width ?? 0) / 2) * state.scale, ry = ((one.height ?? 0) / 2) * state.scale;
  const from = toScreen(offset(one, -1, 0)), to = toScreen(offset(one, 1, 0));
  return `M${from.x} ${from.y}A${rx} ${ry} ${one.angle ?? 0} 1 1 ${to.x} ${to.y}A${rx} ${ry} ${one.angle ?? 0} 1 1 ${from.x} ${from.y}Z`;
}

/** @param {AreaShape} one @param {number} index @param {boolean} chosen @param {boolean} grabbed whether a press on it takes hold of it */
export function areaElement(one, index, chosen, grabbed) {
  const d = edge(one), brushed = one.radius !== undefined;
  const wide = brushed ? Math.max(2 * (one.radius ?? 0) * state.scale, 4) : 0;
  const dot = brushed && one.points?.length === 1;
  const at = dot ? toScreen({ x: /** @type {number[][]} */ (one.points)[0][0], y: /** @type {number[][]} */ (one.points)[0][1] }) : null;
  // where one brushes on, only the beginnings of what is there are marked: the picture itself is what one looks at
  const outline = brushed && !grabbed && !chosen && !one.proposed ? [begun(one)] : at
    ? [shape("circle", { class: "area-shade", cx: at.x, cy: at.y, r: wide / 2 }), shape("circle", { class: "area-edge", cx: at.x, cy: at.y, r: wide / 2 })]
    : [shape("path", { class: "area-shade", d }), shape("path", { class: "area-edge", d })];
  const hold = grabbed || chosen ? [at
    ? shape("circle", { class: "area-hold", cx: at.x, cy: at.y, r: Math.max(wide / 2, GRIP / 2), "data-grip": "area-move", "data-area": index })
    : shape("path", { class: chosen && !brushed ? "area-hold area-body" : "area-hold", d, "stroke-width": Math.max(wide, 14), "data-grip": "area-move", "data-area": index })] : [];
  const words = brushed ? "Arrow keys move it, plus and minus change the brush, Delete drops it." : "Arrow keys move it, plus and minus change its size, Delete drops it.";
  const group = shape("g", {
    class: "area-shape", tabindex: 0, role: "group", "data-area": index, "aria-label": `${one.away ? "Taken away: " : ""}${one.name} ${index + 1}. ${words}`,
  }, [...hold, ...outline, ...(chosen ? handles(one, index) : [])]);
  if (one.away) group.setAttribute("data-away", "");
  if (one.proposed) group.setAttribute("data-proposed", "");
  if (brushed) group.setAttribute("data-brushed", "");
  if (chosen) group.setAttribute("data-chosen", "");
  return group;
}

/** @param {AreaShape} one */
function begun(one) {
  const [x, y] = /** @type {number[][]} */ (one.points)[0], at = toScreen({ x, y });
  return shape("circle", { class: "area-begun", cx: at.x, cy: at.y, r: 3 });
}

/** @param {AreaShape} one @param {number} index */
function handles(one, index) {
  if (isTurned(one)) {
    const marks = SIDES[one.kind].map(([a, b], side) => handle(toScreen(offset(one, a, b)), { "data-grip": "area-side", "data-area": index, "data-side": side }));
    const top = toScreen(offset(one, 0, -1)), turn = ((one.angle ?? 0) * Math.PI) / 180;
    const knob = { x: top.x + TURN_AT * Math.sin(turn), y: top.y - TURN_AT * Math.cos(turn) };
    return [shape("path", { class: "area-stalk", d: `M${top.x} ${top.y}L${knob.x} ${knob.y}` }), ...marks, handle(knob, { "data-grip": "area-turn", "data-area": index }, true)];
  }
  if (one.kind !== "outline" || !one.points) return [];
  return one.points.map(([x, y], point) => {
    const sharp = one.sharp?.includes(point), at = toScreen({ x, y });
    const mark = handle(at, { "data-grip": "area-point", "data-area": index, "data-point": point }, !sharp);
    for (const [name, value] of Object.entries({ class: "point area-point", tabindex: 0, role: "button", "data-area": index, "data-point": point, "aria-label": `Point ${point + 1}, ${sharp ? "a corner" : "smooth"}. Arrow keys move it, Enter makes it ${sharp ? "smooth" : "a corner"}, Delete drops it.` })) mark.setAttribute(name, String(value));
    return mark;
  });
}

/** A small square, or a round one. @param {Spot} at @param {Record<string, string | number>} data @param {boolean} [round] */
function handle(at, data, round = false) {
  const half = MARK / 2;
  return shape("g", {}, [
    round ? shape("circle", { class: "area-handle", cx: at.x, cy: at.y, r: half + 0.5 }) : shape("rect", { class: "area-handle", x: at.x - half, y: at.y - half, width: MARK, height: MARK }),
    shape("rect", { class: "area-grip", x: at.x - GRIP / 2, y: at.y - GRIP / 2, width: GRIP, height: GRIP, ...data }),
  ]);
}

/** The place from which is copied. @param {Spot} spot */
export function sourceMark(spot) {
  const at = toScreen(spot), d = `M${at.x - 16} ${at.y}h11M${at.x + 5} ${at.y}h11M${at.x} ${at.y - 16}v11M${at.x} ${at.y + 5}v11`;
  return shape("g", { class: "area-source" }, [shape("path", { class: "area-shade", d }), shape("path", { class: "area-edge", d })]);
}
