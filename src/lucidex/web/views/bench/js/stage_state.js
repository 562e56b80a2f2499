// What the stage's modules share: the facts from the server, where the picture stands, and what is being done.

/** @typedef {import("../../../shell/js/window_math.js").Win} Win */
/** @typedef {import("../../../shell/js/window_math.js").Extent} Extent */
/** @typedef {{x: number, y: number}} Spot */
/** An area on the picture, in its pixels: a middle, sides and an angle, or points, with the radius of a brush. */
/** @typedef {{kind: string, name: string, away: boolean, found: boolean, proposed?: boolean, x?: number, y?: number, width?: number, height?: number, angle?: number, points?: number[][], edge?: number[][], sharp?: number[], radius?: number}} AreaShape */
/** A mark of a note on the picture, in its pixels. */
/** @typedef {{note: number, number: number, index: number, kind: string, colour: string, points: number[][], width: number, pressed?: number[], head?: number[][], text?: string, mine: boolean, settled: boolean}} NoteShape */
/**
 * @typedef {{mode: "whole" | "framing" | "crop" | "level" | "quad" | "focal" | "grey" | "area" | "text" | "notes", picture: Extent, preview: string, judge: string[],
 *   output?: Extent, window?: Win, canvas?: Win, largest?: Extent, focal?: Spot | null, found?: Win[], points?: Spot[],
 *   shape?: number[] | null, fixed?: boolean, enlargement?: number, overlay?: {left: number, top: number, width: number, height: number, address: string} | null, shown?: {width: number, height: number, address: string, said: string}, post?: string, content: number[],
 *   shapes?: AreaShape[], tools?: string[], ways?: string[], begins?: string, away?: boolean, sourced?: boolean, source?: Spot | null, brush?: number, step?: string,
 *   words?: {address: string, left: number, top: number, width: number, height: number, x: number, y: number, wide: number, high: number, angle: number, text: string},
 *   notes?: NoteShape[], layer?: string}} StageFacts
 */

export const state = {
  /** @type {StageFacts | null} */ facts: null,
  /** @type {Win | null} */ win: null,
  /** @type {Spot[]} */ points: [],
  /** @type {Spot | null} */ focal: null,
  view: "work",
  original: false,
  /** Whether a place is shown at its true size, and not as it fits. */ trueSize: false,
  /** What is compared beside each other: the picture, or a file before it was compressed, or without its steps. */ compared: "picture",
  /** Whether clipped ends are marked on the picture. */ marks: false,
  /** Screen pixels for each picture pixel. */ scale: 1,
  /** The scale at which the whole picture fits. */ fitting: 1,
  origin: { x: 0, y: 0 },
  /** How much closer than whole, and the picture point in the middle (null: the middle). */ closer: 1,
  /** @type {Spot | null} */ middle: null,
  /** @type {{x1: number, y1: number, x2: number, y2: number} | null} */ line: null,
  /** @type {number | undefined} */ timer: undefined,
  dragging: false,
  /** While the space bar is held, pulling moves the sight and draws nothing. */ panning: false,
};

export const byId = (/** @type {string} */ id) => document.getElementById(id);

export const ratio = () => window.devicePixelRatio || 1;

/** Screen rectangle of a window. @param {Win} win */
export function rect(win) {
  const { x, y } = state.origin, s = state.scale;
  return new DOMRect(x + win.left * s, y + win.top * s, win.width * s, win.height * s);
}

/** @param {Spot} spot */
export const toScreen = (spot) => ({ x: state.origin.x + spot.x * state.scale, y: state.origin.y + spot.y * state.scale });

/** @param {Spot} at a point of the stage @returns {Spot} */
export const toPicture = (at) => ({ x: (at.x - state.origin.x) / state.scale, y: (at.y - state.origin.y) / state.scale });

/** The size of what is shown: the prepared picture, or the original while that is held. @returns {Extent} */
export function shownSize() {
  const facts = /** @type {StageFacts} */ (state.facts);
  if (!state.original) return facts.picture;
  return originalSize();
}

/** @returns {Extent} */
export function originalSize() {
  const [width, height] = (byId("stage")?.dataset.originalSize ?? "1 1").split(" ").map(Number);
  return { width, height };
}

/** @param {number} percent */
export const formatScale = (percent) => (percent < 10 ? percent.toFixed(1) : String(Math.round(percent)));

/** Say at which scale the picture stands, and what is to be known of it. @param {string} scale @param {string} sentence @param {string} [more] */
export function say(scale, sentence, more = "") {
  const seats = [byId("stage-scale"), byId("stage-words")];
  [scale, sentence].forEach((text, i) => { const seat = seats[i]; if (seat) seat.textContent = text; });
  seats[1]?.setAttribute("title", more);
}
