// What a typed line means, under the line: arrow keys choose one of the readings, Enter does it.
// Listens to every line that has a seat for its readings; nothing is done that was not shown there.

/** @typedef {{line: HTMLInputElement, seat: HTMLElement, said: HTMLInputElement | null}} Parts */

const options = (/** @type {HTMLElement} */ seat) => /** @type {HTMLButtonElement[]} */ ([...seat.querySelectorAll("[role=option]")]);

/** Whether what is shown answers what is typed by now. @param {Parts} parts */
const answers = ({ line, seat }) => seat.querySelector("[data-for]")?.getAttribute("data-for") === line.value;

export function listenToLines() {
  document.addEventListener("input", (event) => {
    const parts = partsOf(event.target);
    if (parts?.said) parts.said.value = "";
  });
  document.addEventListener("keydown", (event) => {
    const parts = partsOf(event.target);
    if (!parts) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      choose(parts, chosen(parts.seat) + (event.key === "ArrowDown" ? 1 : -1));
    } else if (event.key === "Enter" && parts.seat.querySelector("[data-asks]") && chosen(parts.seat) < 0) {
      // somebody has to choose: the first Enter goes to the choices, the next one takes one
      event.preventDefault();
      choose(parts, 0);
    } else if (event.key === "Escape" && parts.seat.childElementCount) {
      event.preventDefault();
      parts.seat.replaceChildren();
      choose(parts, -1);
    }
  });
  const settle = () => {
    for (const line of document.querySelectorAll("[data-reads]")) {
      const parts = partsOf(line);
      if (!parts) continue;
      // an answer that comes after the line was done or emptied
      if (!parts.line.value) parts.seat.replaceChildren();
      choose(parts, chosen(parts.seat));
    }
  };
  document.addEventListener("htmx:after:swap", settle);
  document.addEventListener("line-done", () => {
    for (const line of document.querySelectorAll("[data-reads]")) empty(line);
  });
}

/** Forget what was typed and what it meant. @param {Element} line */
export function empty(line) {
  const parts = partsOf(line);
  if (!parts) return;
  parts.line.value = "";
  parts.seat.replaceChildren();
  choose(parts, -1);
}

/** The line, the seat of its readings, and the field that says which one was shown. @param {EventTarget | null} of @returns {Parts | null} */
export function partsOf(of) {
  const line = of instanceof HTMLInputElement && of.dataset.reads ? of : null;
  const seat = line ? document.getElementById(line.dataset.reads ?? "") : null;
  if (!line || !seat) return null;
  return { line, seat, said: /** @type {HTMLInputElement | null} */ (line.form?.querySelector("input[type=hidden][name=said]") ?? null) };
}

/** @param {HTMLElement} seat */
function chosen(seat) {
  return options(seat).findIndex((option) => option.getAttribute("aria-selected") === "true");
}

/** @param {Parts} parts @param {number} index */
function choose(parts, index) {
  const { line, seat, said } = parts, all = answers(parts) ? options(parts.seat) : [];
  const held = all.length ? Math.min(Math.max(index, -1), all.length - 1) : -1;
  all.forEach((option, number) => {
    option.setAttribute("aria-selected", String(number === held));
    option.id = `${seat.id}-${number}`;
  });
  line.setAttribute("aria-expanded", String(all.length > 0));
  if (held < 0) line.removeAttribute("aria-activedescendant");
  else line.setAttribute("aria-activedescendant", `${seat.id}-${held}`);
  if (said) said.value = all[held]?.value ?? "";
}
