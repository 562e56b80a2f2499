// The add-a-step line: opens its lists, and empties itself when the server has done what was typed.

/** @param {AlpineLike} Alpine */
export function registerLine(Alpine) {
  Alpine.data("line", () => ({
    open: "",
    get showsFrame() { return this.open === "frame"; },
    get showsTone() { return this.open === "tone"; },
    get showsMend() { return this.open === "mend"; },
    get showsSize() { return this.open === "size"; },
    get showsKeys() { return this.open === "keys"; },
    frameButton: group("frame"),
    sizeButton: group("size"),
    toneButton: group("tone"),
    mendButton: group("mend"),
    keysButton: group("keys"),
    init() {
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

/** @param {string} name */
function group(name) {
  return {
    /** @this {{open: string}} */
    "@click"() { this.open = this.open === name ? "" : name; },
    /** @this {{open: string}} */
    ":aria-expanded"() { return String(this.open === name); },
  };
}
