// The door to what works on the stage only at times: each module is fetched once its mode is shown. Emits nothing.
import { state } from "./stage_state.js";

/**
 * What a module of a mode does: `read` brings it up to the facts, `parts` are drawn over the picture, `press` begins a
 * gesture, `key` says whether a key was for it.
 * @typedef {{listen: () => void, read: () => void, parts: (picture: DOMRect) => Element[],
 *   press: (lines: SVGElement, event: PointerEvent, grip: string) => void, key: (event: KeyboardEvent) => boolean,
 *   hover?: (at: {x: number, y: number}) => void, wheel?: (event: WheelEvent) => boolean}} ModeTool
 */

/** @type {Record<string, () => Promise<{tool: ModeTool}>>} */
const MODES = { area: () => import("./areas.js"), text: () => import("./words.js"), notes: () => import("./notes.js") };
/** @type {Record<string, ModeTool>} */
const here = {};
/** @type {Set<string>} */
const asked = new Set();

/** The module of the mode that is shown, once it is here. @returns {ModeTool | undefined} */
export const modeTool = () => here[state.facts?.mode ?? ""];

/** Bring the modules up to the facts; the first time one is fetched, everything is drawn again. @param {() => void} redraw */
export function readModes(redraw) {
  for (const tool of Object.values(here)) tool.read();
  const mode = state.facts?.mode ?? "";
  if (!(mode in MODES) || asked.has(mode)) return;
  asked.add(mode);
  void MODES[mode]().then(({ tool }) => {
    here[mode] = tool;
    tool.listen();
    tool.read();
    redraw();
  });
}
