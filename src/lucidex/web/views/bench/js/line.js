// The add-a-step line: opens its lists, says what an entry of them does in a seat of its own, and does what concerns
// the page alone when the server has understood it. Owns which of its lists is open.
import { opened } from "../../../shell/js/opened.js";
import { say } from "../../../shell/js/requests.js";

/** @type {Record<string, () => void>} */
const COMMANDS = {
  actual: press('[data-sight="actual"]'),
  whole: press('[data-sight="whole"]'),
  closer: press('[data-sight="closer"]'),
  further: press('[data-sight="further"]'),
  original: press('[data-view="beside"]'),
  result: press('[data-view="result"]', "No place is chosen. Hang one, by typing its size."),
  download: press('[data-key="download"]', "Nothing hangs yet. Type the size that the picture must have."),
  history: press('[data-command="history"]', "Nothing was changed yet."),
  notes: press('[data-command="notes"][aria-expanded="false"]'),
  help: press('[data-command="help"]'),
  thirds: () => guide("thirds"),
  "no guides": () => guide("none"),
};

/** The line that stands on the page; there is one at a time, and it is set up again when the bench is exchanged. @type {{open: string} | null} */
let current = null;

/** @param {AlpineLike} Alpine */
export function registerLine(Alpine) {
  for (const kind of ["pointerover", "focusin"]) document.addEventListener(kind, sayOffer);
  document.addEventListener("input", sift);
  document.addEventListener("htmx:before:request", sayTaken);
  for (const end of ["htmx:finally:request", "htmx:error"]) document.addEventListener(end, (event) => { if (isOfLine(event)) forgetTaken(); });
  document.addEventListener("click", (event) => {
    // whoever wants to hang a place sees the book of them, below the line
    if (!current || !/** @type {Element} */ (event.target).closest("[data-focus-line]")) return;
    current.open = "size";
    openedList("size");
  });
  document.addEventListener("line-done", () => { if (current) current.open = ""; });
  document.addEventListener("line-commands", (event) => {
    const { names } = /** @type {CustomEvent} */ (event).detail;
    for (const command of names) COMMANDS[command]?.();
  });
  Alpine.data("line", () => ({
    open: "",
    get showsFrame() { return this.open === "frame"; },
    get showsTone() { return this.open === "tone"; },
    get showsMend() { return this.open === "mend"; },
    get showsFinish() { return this.open === "finish"; },
    get showsSize() { return this.open === "size"; },
    get showsKeys() { return this.open === "keys"; },
    get showsLists() { return this.open !== "" && this.open !== "keys"; },
    frameButton: group("frame"),
    sizeButton: group("size"),
    toneButton: group("tone"),
    mendButton: group("mend"),
    finishButton: group("finish"),
    keysButton: group("keys"),
    init() { current = this; },
  }));
}

/** Whether a request sends what was typed into the line. @param {Event} event */
function isOfLine(event) {
  const { ctx } = /** @type {CustomEvent} */ (event).detail;
  return ctx?.request?.method === "POST" && Boolean(ctx.sourceElement?.closest?.("#line-form"));
}

/** What was accepted stands among the steps at once, greyed, until the answer says what became of it. @param {Event} event */
function sayTaken(event) {
  const line = /** @type {HTMLInputElement | null} */ (document.getElementById("line"));
  if (!isOfLine(event) || !line?.value.trim()) return;
  forgetTaken();
  const said = /** @type {HTMLInputElement | null} */ (document.querySelector("#line-form input[name=said]"))?.value;
  const words = document.createElement("li");
  words.className = "line-taken";
  words.textContent = said || line.value;
  words.setAttribute("role", "status");
  document.querySelector(".ledger-list > ol")?.append(words);
  words.scrollIntoView({ block: "nearest" });
}

function forgetTaken() {
  for (const words of document.querySelectorAll(".line-taken")) words.remove();
}

/** @param {string} selector @param {string} otherwise what is said where there is nothing to press */
function press(selector, otherwise = "") {
  return () => {
    const button = /** @type {HTMLElement | null} */ (document.querySelector(selector));
    if (button) button.click();
    else if (otherwise) say(otherwise);
  };
}

/** @param {string} which */
function guide(which) {
  const select = /** @type {HTMLSelectElement | null} */ (document.getElementById("stage-guides"));
  if (!select) return;
  select.value = which;
  select.dispatchEvent(new Event("change", { bubbles: true }));
}

/** What an entry of the lists would do, said before it is done, in a fixed seat. @param {Event} event */
function sayOffer(event) {
  const offer = /** @type {Element} */ (event.target).closest?.("[data-offer][title]");
  const seat = document.getElementById("offer-says");
  if (offer && seat) seat.textContent = offer.getAttribute("title");
}

/** Long lists can be typed into: only what holds the letters stays. @param {Event} event */
function sift(event) {
  const field = /** @type {HTMLInputElement} */ (event.target);
  if (field.dataset.sifts === undefined) return;
  const letters = field.value.trim().toLowerCase();
  for (const offer of document.querySelectorAll(`#${field.dataset.sifts} .offer`)) {
    /** @type {HTMLElement} */ (offer).hidden = !(offer.textContent ?? "").toLowerCase().includes(letters);
  }
}

/** Escape closes a list that was opened, and leads back to its button. @param {string} name */
function openedList(name) {
  const button = document.activeElement;
  opened({ isOpen: () => current?.open === name, close: () => {
    if (current) current.open = "";
    if (button instanceof HTMLElement) button.focus();
  } });
}

/** @param {string} name */
function group(name) {
  return {
    /** @this {{open: string}} */
    "@click"() {
      this.open = this.open === name ? "" : name;
      if (this.open) openedList(name);
    },
    /** @this {{open: string}} */
    ":aria-expanded"() { return String(this.open === name); },
  };
}
