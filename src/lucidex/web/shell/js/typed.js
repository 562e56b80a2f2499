// What stands in fields is kept as somebody types, in this browser, until it has gone to the server: it is there again
// after a reload, another tab or another picture. Owns these drafts. Emits "input" where it fills a field in again.
import { csrf } from "./requests.js";

/** What was typed into a field, and what stood there when it was. @typedef {{text: string, over: string}} Draft */
/** @typedef {{at: number, fields: Record<string, Draft>}} Kept */
/** @typedef {HTMLInputElement | HTMLTextAreaElement} Field */

const PAUSE_MS = 400, MOST_FORMS = 60, MOST_LETTERS = 40_000, DAYS = 14;
const FIELDS = "textarea[name], input[name][type=text], input[name][type=url], input[name]:not([type])";
const SENT = "typed-sent";
const person = () => document.body.dataset.person ?? "";
const prefix = () => `typed ${person()} `;

/** @param {HTMLFormElement} form */
const address = (form) => new URL(form.getAttribute("hx-post") ?? form.getAttribute("action") ?? location.pathname, location.href).pathname;
// fields that nobody sees and that change with each answer
const PASSING = ["csrf", "version", "place_version", "seen", "said", "snapshot"];
/** Forms that go to the same address are told apart by what they carry unseen. @param {HTMLFormElement} form */
const unseen = (form) => /** @type {HTMLInputElement[]} */ ([...form.querySelectorAll("input[type=hidden][name]")]).filter((one) => !PASSING.includes(one.name)).map((one) => ` ${one.name}=${one.value}`).join("");
/** @param {HTMLFormElement} form */
const keyOf = (form) => prefix() + address(form) + unseen(form);
/** @param {HTMLFormElement} form @returns {Field[]} */
const fieldsOf = (form) => [...form.querySelectorAll(FIELDS)].map((field) => /** @type {Field} */ (field)).filter((field) => field.form === form);

/** Whether what is typed into a form is worth keeping: words that are to be sent, and no secret. @param {HTMLFormElement | null | undefined} form @returns {form is HTMLFormElement} */
function keeps(form) {
  if (!form || !person() || !csrf() || form.matches("[data-live]") || form.querySelector("[type=password]")) return false;
  return form.hasAttribute("hx-post") || form.method === "post";
}

/** @type {WeakMap<HTMLFormElement, number>} */
const waiting = new WeakMap();
/** @type {WeakMap<HTMLFormElement, string>} */
const sent = new WeakMap();

/** @param {HTMLFormElement} form */
const valuesOf = (form) => JSON.stringify(fieldsOf(form).map((field) => [field.name, field.value]));

/** The form that a request is sent for, where it keeps what is typed. @param {Event} event */
function formOf(event) {
  const form = /** @type {CustomEvent} */ (event).detail.ctx.sourceElement?.closest?.("form");
  return keeps(form) ? form : null;
}

export function keepTyped() {
  document.addEventListener("input", (event) => {
    const field = /** @type {HTMLInputElement} */ (event.target), form = field.form;
    if (!event.isTrusted || !field.matches?.(FIELDS) || !keeps(form)) return;
    clearTimeout(waiting.get(form));
    waiting.set(form, window.setTimeout(() => keep(form), PAUSE_MS));
  });
  for (const leaving of ["pagehide", "visibilitychange"]) window.addEventListener(leaving, keepAll);
  document.addEventListener("submit", (event) => {
    const form = /** @type {HTMLFormElement} */ (event.target);
    if (!keeps(form) || form.hasAttribute("hx-post")) return;
    keep(form);
    sessionStorage.setItem(SENT, keyOf(form));
  });
  document.addEventListener("htmx:before:request", (event) => {
    keepAll();
    const form = formOf(event);
    if (form) sent.set(form, valuesOf(form));
  });
  document.addEventListener("htmx:after:request", (event) => {
    const { ctx } = /** @type {CustomEvent} */ (event).detail, form = formOf(event);
    const is_taken = ctx.request?.method === "POST" && ctx.response?.status < 400 && !ctx.response.headers?.get("X-Refused");
    // what was typed on while it was under way has not gone yet
    if (form && is_taken && sent.get(form) === valuesOf(form)) forget(form);
  });
  document.addEventListener("htmx:before:swap", () => {
    keepAll();
    held = placeOf(document.activeElement);
  });
  document.addEventListener("htmx:after:swap", () => {
    showKept();
    typeOn();
  });
  document.addEventListener("click", (event) => {
    const form = /** @type {Element} */ (event.target).closest("[data-take-back]")?.closest("form");
    if (form) takeBack(form);
  });
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
}

/** Where somebody is typing. @typedef {{key: string, name: string, start: number | null, end: number | null}} Place */
/** @type {Place | null} */
let held = null;

/** @param {Element | null} field @returns {Place | null} */
function placeOf(field) {
  if (!(field instanceof HTMLInputElement || field instanceof HTMLTextAreaElement) || !field.matches(FIELDS) || !keeps(field.form)) return null;
  return { key: keyOf(field.form), name: field.name, start: field.selectionStart, end: field.selectionEnd };
}

/** Whoever was typing into a form that was exchanged goes on in the one that took its seat. */
function typeOn() {
  const place = held;
  held = null;
  if (!place || document.activeElement !== document.body) return;
  const form = [...document.forms].find((one) => keeps(one) && keyOf(one) === place.key);
  const field = form && fieldsOf(form).find((one) => one.name === place.name);
  field?.focus({ preventScroll: true });
  field?.setSelectionRange(place.start, place.end);
}

function begin() {
  const sent = sessionStorage.getItem(SENT);
  sessionStorage.removeItem(SENT);
  // what was sent and not refused has arrived
  if (sent && !document.querySelector("#notice [data-status]")) localStorage.removeItem(sent);
  letGoOfOld();
  showKept();
}

function keepAll() {
  for (const form of document.forms) if (waiting.has(form)) keep(form);
}

/** @param {HTMLFormElement} form */
function keep(form) {
  clearTimeout(waiting.get(form));
  waiting.delete(form);
  const before = read(keyOf(form))?.fields ?? {};
  /** @type {Record<string, Draft>} */
  const fields = {};
  for (const field of fieldsOf(form)) {
    const over = before[field.name]?.over ?? field.defaultValue;
    if (field.value !== field.defaultValue) fields[field.name] = { text: field.value, over };
  }
  if (!Object.keys(fields).length) return forget(form);
  const text = JSON.stringify({ at: Date.now(), fields });
  if (text.length > MOST_LETTERS) return;
  try {
    localStorage.setItem(keyOf(form), text);
  } catch {
    return; // the browser has no room for it
  }
  say(form);
}

/** @param {string} key @returns {Kept | null} */
function read(key) {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? "null");
    return kept && typeof kept.fields === "object" ? kept : null;
  } catch {
    return null;
  }
}

/** @param {HTMLFormElement} form */
function forget(form) {
  localStorage.removeItem(keyOf(form));
  form.querySelector(".typed-kept")?.remove();
  for (const other of form.querySelectorAll(".typed-meanwhile")) other.remove();
}

/** Fill in what was kept, wherever its form is on the page. */
function showKept() {
  for (const form of document.forms) {
    const kept = keeps(form) ? read(keyOf(form)) : null;
    if (!kept) continue;
    let is_shown = false;
    for (const field of fieldsOf(form)) {
      const draft = kept.fields[field.name];
      if (!draft || draft.text === field.defaultValue) continue;
      is_shown = true;
      if (field.value !== draft.text && document.activeElement !== field) {
        field.value = draft.text;
        field.dispatchEvent(new Event("input", { bubbles: true }));
      }
      if (field.defaultValue !== draft.over) sayMeanwhile(field);
    }
    if (!is_shown) forget(form);
    else {
      say(form);
      form.closest("details")?.setAttribute("open", "");
    }
  }
}

/** @param {HTMLFormElement} form */
function say(form) {
  if (form.querySelector(".typed-kept") || form.hasAttribute("data-silent")) return;
  const words = document.createElement("p"), back = document.createElement("button");
  words.className = "note typed-kept";
  words.setAttribute("role", "status");
  Object.assign(back, { type: "button", className: "link", textContent: "Take it back" });
  back.dataset.takeBack = "";
  words.append("Kept here as you type, and not sent yet. ", back);
  form.append(words);
}

/** Somebody else has written into the field meanwhile: both texts are offered. @param {Field} field */
function sayMeanwhile(field) {
  const seat = field.closest("label") ?? field;
  if (seat.nextElementSibling?.classList.contains("typed-meanwhile")) return;
  const words = document.createElement("p"), take = document.createElement("button"), theirs = field.defaultValue;
  words.className = "note typed-meanwhile";
  Object.assign(take, { type: "button", className: "link", textContent: "Take that" });
  take.addEventListener("click", () => {
    field.value = theirs;
    words.remove();
    if (field.form) keep(field.form);
  });
  words.append(theirs ? `Meanwhile it says “${theirs}”. ` : "Meanwhile it was emptied. ", take);
  seat.after(words);
}

/** @param {HTMLFormElement} form */
function takeBack(form) {
  for (const field of fieldsOf(form)) {
    field.value = field.defaultValue;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
  forget(form);
}

function letGoOfOld() {
  const mine = Object.keys(localStorage).filter((key) => key.startsWith("typed "));
  const aged = mine.map((key) => ({ key, at: read(key)?.at ?? 0 })).sort((a, b) => b.at - a.at);
  const oldest = Date.now() - DAYS * 86_400_000;
  aged.forEach(({ key, at }, number) => { if (number >= MOST_FORMS || at < oldest) localStorage.removeItem(key); });
}
