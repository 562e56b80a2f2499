// Amounts: a double click leads back to rest, the arrow keys go by small steps, and a key that is held is one change.
// Emits "input" while a value moves and one "change" when it is let go.

/** The form whose control is being moved, which answers must leave alone. @type {HTMLFormElement | null} */
let moving = null;
let heldKey = "";

export const isMoving = (/** @type {Element | null} */ form) => form !== null && form === moving;

export function listenToAmounts() {
  // a form of one field would be sent by Enter as a page; here Enter is a change like any other
  document.addEventListener("submit", (event) => { if (/** @type {Element} */ (event.target).matches("form[data-live]")) event.preventDefault(); });
  document.addEventListener("dblclick", (event) => {
    const target = /** @type {Element} */ (event.target);
    const field = target.matches("input[type=number]") ? null : target.closest(".amount")?.querySelector("[data-rest]");
    if (!(field instanceof HTMLInputElement)) return;
    field.value = field.dataset.rest ?? field.value;
    tell(field, "input");
    tell(field, "change");
  });
  document.addEventListener("pointerdown", (event) => {
    const field = /** @type {Element} */ (event.target);
    if (field.matches("form[data-live] input[type=range]")) moving = /** @type {HTMLInputElement} */ (field).form;
  });
  for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, () => { if (!heldKey) moving = null; });
  document.addEventListener("keydown", onKeyDown, true);
  document.addEventListener("change", (event) => {
    if (heldKey && event.isTrusted && isMoving(/** @type {HTMLInputElement} */ (event.target).form)) event.stopImmediatePropagation();
  }, true);
  document.addEventListener("keyup", letGo, true);
  document.addEventListener("focusout", letGo, true);
}

/** @param {KeyboardEvent} event */
function onKeyDown(event) {
  const field = /** @type {HTMLInputElement} */ (event.target);
  if (!field.matches?.("form[data-live] input") || !/^(Arrow|Page|Home$|End$)/.test(event.key)) return;
  if (field.type === "number") {
    if (!stepped(field, event)) return;
  } else if (field.type !== "range") return;
  moving = field.form;
  heldKey = event.key;
}

/** A number goes by its own small step, with Shift by ten. @param {HTMLInputElement} field @param {KeyboardEvent} event */
function stepped(field, event) {
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!way || !field.dataset.fine) return false;
  event.preventDefault();
  const by = way * Number(field.dataset.fine) * (event.shiftKey ? 10 : 1);
  const held = Math.min(Math.max(Number(field.value) + by, Number(field.dataset.least ?? -Infinity)), Number(field.dataset.most ?? Infinity));
  field.value = String(Number(held.toFixed(3)));
  tell(field, "input");
  return true;
}

/** @param {Event} event */
function letGo(event) {
  if (!heldKey || !moving) return;
  heldKey = "";
  moving = null;
  const field = /** @type {HTMLElement} */ (event.target);
  if (field instanceof HTMLInputElement) tell(field, "change");
}

/** @param {Element} field @param {string} kind */
export function tell(field, kind) {
  field.dispatchEvent(new Event(kind, { bubbles: true }));
}

/** Put values into a form's fields, as if they had been typed. @param {HTMLFormElement} form @param {Record<string, string | number>} values @param {string} kind "input" while it moves, "change" at its end */
export function fill(form, values, kind) {
  let last = null;
  for (const [name, value] of Object.entries(values)) {
    const field = form.elements.namedItem(name);
    if (!(field instanceof HTMLInputElement)) continue;
    field.value = String(value);
    last = field;
  }
  if (last) tell(last, kind);
}

/** Follow a pointer over a drawn control until it is let go; answers leave the form alone meanwhile.
 * @param {Element} drawn @param {PointerEvent} start @param {HTMLFormElement} form @param {(event: PointerEvent) => void} move @param {() => void} end */
export function followOver(drawn, start, form, move, end) {
  start.preventDefault();
  drawn.setPointerCapture(start.pointerId);
  moving = form;
  const onMove = (/** @type {Event} */ event) => move(/** @type {PointerEvent} */ (event));
  const stop = () => {
    drawn.removeEventListener("pointermove", onMove);
    drawn.removeEventListener("pointerup", stop);
    drawn.removeEventListener("pointercancel", stop);
    moving = null;
    end();
  };
  drawn.addEventListener("pointermove", onMove);
  drawn.addEventListener("pointerup", stop);
  drawn.addEventListener("pointercancel", stop);
}
