// The door to areas.js, which is fetched only once somebody draws an area. Emits nothing.
import { state } from "./stage_state.js";

/** @type {typeof import("./areas.js") | null} */
let areas = null;
let asked = false;

/** What is needed to draw areas, once it is here. */
export const areasHere = () => areas;

/** Bring areas up to the facts; the first time they are fetched, and everything is drawn again. @param {() => void} redraw */
export function readAreas(redraw) {
  if (areas) return areas.readAreas();
  if (state.facts?.mode !== "area" || asked) return undefined;
  asked = true;
  void import("./areas.js").then((module) => {
    areas = module;
    areas.listenToAreas();
    areas.readAreas();
    redraw();
  });
  return undefined;
}
