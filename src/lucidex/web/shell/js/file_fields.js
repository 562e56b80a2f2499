// Fields for a file: what was chosen or dropped stands in them by its name. Owns nothing: the file is the input's own.

/** @param {Event} event */
const fieldOf = (event) => /** @type {HTMLElement | null} */ (event.target instanceof Element ? event.target.closest("[data-file-field]") : null);

export function listenToFileFields() {
  document.addEventListener("change", (event) => {
    const field = fieldOf(event), input = event.target;
    if (field && input instanceof HTMLInputElement) sayFile(field, input);
  });
  // before whatever takes files that are dropped anywhere on the page
  for (const kind of ["dragover", "dragleave", "drop"]) document.addEventListener(kind, (event) => {
    const field = fieldOf(event), input = field?.querySelector("input"), transfer = /** @type {DragEvent} */ (event).dataTransfer;
    if (!field || !input || !transfer) return;
    event.preventDefault();
    event.stopPropagation();
    field.toggleAttribute("data-over", kind === "dragover");
    if (kind !== "drop" || !transfer.files.length) return;
    input.files = transfer.files;
    input.dispatchEvent(new Event("change", { bubbles: true }));
  }, true);
}

/** @param {HTMLElement} field @param {HTMLInputElement} input */
function sayFile(field, input) {
  const words = field.querySelector(".file-words"), name = input.files?.[0]?.name;
  field.toggleAttribute("data-chosen", Boolean(name));
  if (words) words.textContent = name ?? "Choose or drop";
}
