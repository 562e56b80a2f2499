// The add-a-step line: opens its lists, and empties itself when the server has done what was typed.

/** @param {AlpineLike} Alpine */
export function registerLine(Alpine) {
  Alpine.data("line", () => ({
    open: "",
    get showsFrame() { return this.open === "frame"; },
    get showsTone() { return this.open === "tone"; },
    get showsMend() { return this.open === "mend"; },
    get showsFinish() { return this.open === "finish"; },
    get showsSize() { return this.open === "size"; },
    get showsKeys() { return this.open === "keys"; },
    frameButton: group("frame"),
    sizeButton: group("size"),
    toneButton: group("tone"),
    mendButton: group("mend"),
    finishButton: group("finish"),
    keysButton: group("keys"),
    init() {
      // what an entry of the lists would do is said before it is done, in the line's own seat
      for (const kind of ["pointerover", "focusin"]) document.addEventListener(kind, sayOffer);
      document.addEventListener("line-done", () => {
        this.open = "";
        const line = /** @type {HTMLInputElement | null} */ (document.getElementById("line"));
        if (!line) return;
        line.value = "";
        window.htmx.trigger(line, "cleared");
      });
    },
  }));
}

/** @param {Event} event */
function sayOffer(event) {
  const offer = /** @type {Element} */ (event.target).closest?.("[data-offer][title]"), seat = document.getElementById("reading");
  if (offer && seat) seat.textContent = offer.getAttribute("title");
}

/** @param {string} name */
function group(name) {
  return {
    /** @this {{open: string}} */
    "@click"() { this.open = this.open === name ? "" : name; },
    /** @this {{open: string}} */
    ":aria-expanded"() { return String(this.open === name); },
  };
}
