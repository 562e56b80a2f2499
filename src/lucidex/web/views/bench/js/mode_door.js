// The door to what works on the stage only at times: each module is fetched once its mode is shown. Owns the modules that
// are here; which there are says stage.js. Emits nothing.
import { state } from "./stage_state.js";

/**
 * What a module of a mode does: `read` brings it up to the facts, `parts` are drawn over the picture, `press` begins a
 * gesture, `key` says whether a key was for it. `buttons` are those that it listens to.
 * @typedef {{listen: () => void, read: () => void, parts: (picture: DOMRect) => Element[],
 *   press: (lines: SVGElement, event: PointerEvent, grip: string) => void, key: (event: KeyboardEvent) => boolean, buttons?: string,
 *   hover?: (at: {x: number, y: number}) => void, wheel?: (event: WheelEvent) => boolean}} ModeTool
 */

/** @type {Record<string, ModeTool>} */
const here = {};
/** @type {Set<string>} */
const asked = new Set();

/** The module of the mode that is shown, once it is here. @returns {ModeTool | undefined} */
export const modeTool = () => here[state.facts?.mode ?? ""];

/** Bring the modules up to the facts; the first time one is fetched, everything is drawn again. @param {Record<string, () => Promise<{tool: ModeTool}>>} modes @param {() => void} redraw */
export function readModes(modes, redraw) {
  for (const tool of Object.values(here)) tool.read();
  const mode = state.facts?.mode ?? "";
  if (!(mode in modes) || asked.has(mode)) return;
  asked.add(mode);
  /** @type {HTMLElement | null} */
  let pressed = null; // the button that was pressed last before what listens to it was here
  const remember = (/** @type {Event} */ event) => { pressed = /** @type {Element} */ (event.target).closest?.("button") ?? pressed; };
  document.addEventListener("click", remember, true);
  document.documentElement.dataset.fetching = mode;
  void modes[mode]().then(({ tool }) => {
    document.removeEventListener("click", remember, true);
    delete document.documentElement.dataset.fetching;
    here[mode] = tool;
    tool.listen();
    tool.read();
    redraw();
    if (pressed?.isConnected && pressed.matches(tool.buttons ?? "none")) pressed.click();
  });
}
