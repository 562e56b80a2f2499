// The few keys of the bench, as listed under "?".
import { fold } from "./folding.js";
import { look } from "./sight.js";
import { currentView, holdOriginal, show, trueSize } from "./stage.js";

const SIGHTS = /** @type {Record<string, string>} */ ({ w: "whole", 1: "actual", c: "closer", x: "further" });

export function listenForKeys() {
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && isTyping(event) && !event.defaultPrevented) {
      event.preventDefault();
      /** @type {HTMLElement} */ (event.target).blur();
    }
    if (!document.getElementById("bench") || isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    const key = event.key.toLowerCase();
    if (key === "h") holdOriginal(true);
    else if (key === "/") {
      event.preventDefault();
      document.getElementById("line")?.focus();
    } else if (key === "u") press(event.shiftKey ? "redo" : "undo");
    else if (key === "d") press("download");
    else if (key === "l") fold("ledger");
    else if (key === "p") fold("wall");
    else if (key === "f") fold("both");
    else if (key === "t") trueSize();
    else if (SIGHTS[key]) {
      // the very file stands at its own pixels; to look closer or at the whole leads back to the picture
      if (["result", "place"].includes(currentView())) show("work");
      look(SIGHTS[key]);
    }
    else if (key === "b") show(currentView() === "beside" ? "work" : "beside");
    else if (key === "r" && document.querySelector('[data-view="result"]')) show(currentView() === "result" ? "work" : "result");
  });
  document.addEventListener("keyup", (event) => { if (event.key.toLowerCase() === "h") holdOriginal(false); });
  window.addEventListener("blur", () => holdOriginal(false));
}

/** @param {Event} event */
function isTyping(event) {
  return /** @type {Element} */ (event.target).matches?.("input, textarea, select") ?? false;
}

/** @param {string} name */
function press(name) {
  /** @type {HTMLElement | null} */ (document.querySelector(`[data-key="${name}"]:not(:disabled)`))?.click();
}
