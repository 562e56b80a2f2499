// The scanner: a quick look at the glass, a frame on it, the real scan with its progress. Emits nothing.
import { shape } from "../../../shell/js/drawing.js";
import { csrf } from "../../../shell/js/requests.js";
import { clamp, moved, pulled } from "../../../shell/js/window_math.js";

/** @typedef {import("../../../shell/js/window_math.js").Win} Win */
/** @typedef {{straighten: number, areas: Record<string, number[]>}} Paper */
/** @typedef {{id: string, name: string, width_mm: number, height_mm: number, is_empty: boolean, papers: Paper[], resolutions: number[], has_colour: boolean, own_page: string | null}} Seen */

const GRIPS = ["left top", "top", "right top", "right", "right bottom", "bottom", "left bottom", "left"];
const MM_PER_INCH = 25.4, LEAST_MM = 4, REST_MS = 120;

/** @type {Seen | null} */
let seen = null;
/** The part in millimetres. @type {Win} */
let part = { left: 0, top: 0, width: 10, height: 10 };
/** Which paper is framed, and what was framed of each. */
let chosen = 0;
/** @type {Win[]} */
let parts = [];
let address = "", which = "", waiting = 0;
/** @type {AbortController | null} */
let working = null;

const byId = (/** @type {string} */ id) => /** @type {HTMLElement} */ (document.getElementById(id));
const form = () => /** @type {HTMLFormElement} */ (byId("scan-form"));
const field = (/** @type {string} */ name) => /** @type {HTMLInputElement} */ (form().elements.namedItem(name));
const frame = () => /** @type {SVGSVGElement} */ (/** @type {unknown} */ (byId("glass-frame")));
const subject = () => /** @type {HTMLInputElement} */ (form().querySelector("[name=subject]:checked"));

function startScanner() {
  const seat = document.querySelector("[data-scanner]");
  if (!seat || !document.getElementById("scan-form")) return;
  address = seat.getAttribute("data-scanner") ?? "";
  which = location.search;
  for (const button of document.querySelectorAll("[data-look]")) button.addEventListener("click", () => void look());
  form().addEventListener("change", onChange);
  field("lighter").addEventListener("input", () => {
    byId("scan-lighter").textContent = field("lighter").value;
    window.clearTimeout(waiting);
    waiting = window.setTimeout(showLooks, REST_MS);
  });
  form().addEventListener("submit", (event) => {
    event.preventDefault();
    void scan();
  });
  byId("scan-all").addEventListener("click", () => void scanAll());
  byId("scan-papers").addEventListener("click", (event) => {
    const button = /** @type {Element} */ (event.target).closest("[data-paper]");
    if (button && !working) choose(Number(button.getAttribute("data-paper")));
  });
  byId("scan-stop").addEventListener("click", () => working?.abort());
  window.addEventListener("pagehide", () => working?.abort());
  frame().addEventListener("pointerdown", press);
  frame().addEventListener("keydown", key);
}

/** @param {string} sentence */
function trouble(sentence) {
  byId("scan-trouble").textContent = sentence;
  byId("scan-trouble").hidden = !sentence;
}

/** Look at all of the glass. */
async function look() {
  trouble("");
  const words = byId("glass-words");
  const buttons = /** @type {NodeListOf<HTMLButtonElement>} */ (document.querySelectorAll("[data-look]"));
  for (const button of buttons) button.disabled = true;
  byId("scan-progress").textContent = "The scanner looks at the glass …";
  const sentence = words.querySelector("p");
  if (sentence && !seen) sentence.textContent = "The scanner looks at the glass …";
  try {
    const answer = await fetch(`${address}/preview${which}`, { method: "POST", headers: { "X-CSRF-Token": csrf(), Accept: "application/json" } });
    const body = await answer.json().catch(() => ({}));
    if (!answer.ok) throw new Error(body.detail ?? "The scanner could not be asked. Try again.");
    begin(body);
  } catch (error) {
    trouble(error instanceof Error && !(error instanceof TypeError) ? error.message : "The product does not answer. Is it still running?");
    if (sentence && !seen) sentence.textContent = "Lay something on the glass and close the lid.";
  } finally {
    for (const button of buttons) button.disabled = false;
    byId("scan-progress").textContent = "";
  }
}

/** @param {Seen} body */
function begin(body) {
  const first = !seen;
  seen = body;
  byId("glass").style.setProperty("--shape", `${body.width_mm} / ${body.height_mm}`);
  byId("glass").removeAttribute("data-empty");
  byId("glass-words").hidden = true;
  const glass = /** @type {HTMLImageElement} */ (byId("glass-picture"));
  glass.src = `${address}/previews/${body.id}`;
  glass.hidden = false;
  frame().removeAttribute("hidden");
  byId("scan-choices").hidden = false;
  for (const option of /** @type {HTMLSelectElement} */ (/** @type {unknown} */ (field("dpi"))).options) option.disabled = !body.resolutions.includes(Number(option.value));
  for (const option of /** @type {HTMLSelectElement} */ (/** @type {unknown} */ (field("looks"))).options) option.disabled = !body.has_colour && /own|colour/.test(option.value);
  const own = byId("scan-own"), link = own.querySelector("a");
  own.hidden = !body.own_page;
  if (link && body.own_page) link.href = body.own_page;
  if (first) suit();
  chosen = 0;
  propose();
  showLooks();
  if (body.is_empty) trouble("Nothing was found on the glass, so all of it is framed. Lay something on it and look again, or scan it as it is.");
  if (first) frame().querySelector("rect")?.focus();
}

/** What suits the subject. */
function suit() {
  const chosen = subject().dataset;
  const ink = `ink-${chosen.clear === "true" ? "clear" : "white"}-${chosen.keep === "true" && seen?.has_colour ? "own" : "black"}`;
  field("looks").value = chosen.looks === "ink" ? ink : seen?.has_colour ? chosen.looks ?? "colour" : "grey";
  const able = seen?.resolutions ?? [];
  field("dpi").value = able.includes(Number(chosen.dpi)) ? chosen.dpi ?? "300" : String(able[able.length - 1] ?? 300);
  byId("scan-advice").textContent = chosen.advice ?? "";
}

function propose() {
  if (!seen) return;
  parts = seen.papers.map((paper) => {
    const [left, top, width, height] = paper.areas[subject().value];
    return { left, top, width, height };
  });
  part = parts[chosen];
  sayPapers();
  draw();
}

/** Frame another paper; what was framed of this one is kept. @param {number} number */
function choose(number) {
  parts[chosen] = part;
  chosen = number;
  part = parts[number];
  sayPapers();
  draw();
  showLooks();
}

function sayPapers() {
  if (!seen) return;
  const count = seen.papers.length, askew = seen.papers[chosen].straighten;
  byId("scan-straight").hidden = !askew;
  byId("scan-askew").textContent = `${Math.abs(askew)}°`;
  byId("scan-papers").hidden = count < 2;
  byId("scan-count").textContent = `${count} papers lie there; each becomes a picture.`;
  byId("scan-all").hidden = count < 2;
  byId("scan-all").textContent = `Scan all ${count}`;
  byId("scan-go").textContent = count < 2 ? "Scan it" : `Scan paper ${chosen + 1}`;
  byId("scan-seats").replaceChildren(...seen.papers.map((_, number) => {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "button measure";
    button.dataset.paper = String(number);
    button.setAttribute("aria-pressed", String(number === chosen));
    button.setAttribute("aria-label", `Frame paper ${number + 1}`);
    button.textContent = String(number + 1);
    return button;
  }));
}

/** @param {Event} event */
function onChange(event) {
  const name = /** @type {HTMLInputElement} */ (event.target).name;
  if (name === "subject") {
    suit();
    propose();
  }
  if (["left", "top", "width", "height"].includes(name)) typed();
  if (["subject", "looks", "lighter"].includes(name)) showLooks();
  sayNumbers();
}

function typed() {
  if (!seen) return;
  const number = (/** @type {string} */ name, /** @type {number} */ usual) => {
    const value = Number(field(name).value.trim().replace(",", "."));
    return field(name).value.trim() && Number.isFinite(value) ? value : usual;
  };
  const width = clamp(number("width", part.width), LEAST_MM, seen.width_mm);
  const height = clamp(number("height", part.height), LEAST_MM, seen.height_mm);
  const left = clamp(number("left", part.left), 0, seen.width_mm - width), top = clamp(number("top", part.top), 0, seen.height_mm - height);
  part = { left, top, width, height };
  draw();
}

/** @returns {{looks: string, clear: boolean, keep: boolean, lighter: number}} */
function treated() {
  const [looks, paper, ink] = field("looks").value.split("-");
  return { looks, clear: paper === "clear", keep: ink !== "black", lighter: Number(field("lighter").value) };
}

/** The part as the scan will look, the glass around it as it is; the one before stays until the next can be shown whole. */
function showLooks() {
  if (!seen) return;
  const wanted = treated(), image = /** @type {HTMLImageElement} */ (byId("glass-treated"));
  const query = new URLSearchParams({ looks: wanted.looks, clear: String(wanted.clear), keep: String(wanted.keep), lighter: String(wanted.lighter), paper: String(chosen) });
  const source = `${address}/previews/${seen.id}?${query}`;
  image.dataset.wanted = source;
  const next = new Image();
  next.src = source;
  next.decode().then(() => {
    if (image.dataset.wanted !== source) return;
    image.src = source;
    image.hidden = false;
  }, () => trouble("The preview is gone. Look at the glass once more."));
}

function sayNumbers() {
  for (const name of /** @type {(keyof Win)[]} */ (["left", "top", "width", "height"])) field(name).value = (Math.round(part[name] * 10) / 10).toString();
  const dpi = Number(field("dpi").value), pixels = (/** @type {number} */ mm) => Math.max(1, Math.round((mm / MM_PER_INCH) * dpi));
  byId("scan-size").textContent = `${pixels(part.width)} × ${pixels(part.height)} px`;
}

function draw() {
  if (!seen) return;
  const svg = frame(), focused = document.activeElement?.getAttribute("data-grip");
  svg.setAttribute("viewBox", `0 0 ${seen.width_mm} ${seen.height_mm}`);
  const { left, top, width, height } = part, right = left + width, bottom = top + height;
  const shade = shape("path", { class: "glass-shade", "fill-rule": "evenodd", d: `M0 0H${seen.width_mm}V${seen.height_mm}H0ZM${left} ${top}V${bottom}H${right}V${top}Z` });
  const share = (/** @type {number} */ value, /** @type {number} */ whole) => `${(value / whole) * 100}%`;
  byId("glass-treated").style.clipPath = `inset(${share(top, seen.height_mm)} ${share(seen.width_mm - right, seen.width_mm)} ${share(seen.height_mm - bottom, seen.height_mm)} ${share(left, seen.width_mm)})`;
  const inside = shape("rect", { class: "glass-part", x: left, y: top, width, height, tabindex: 0, role: "button", "data-grip": "all", "aria-label": `The part: ${Math.round(width)} × ${Math.round(height)} mm; arrow keys move it, with Shift they change its size` });
  const grips = GRIPS.map((grip) => {
    const x = grip.includes("left") ? left : grip.includes("right") ? right : left + width / 2;
    const y = grip.includes("top") ? top : grip.includes("bottom") ? bottom : top + height / 2;
    return shape("g", { class: "glass-grip", "data-grip": grip }, [shape("circle", { cx: x, cy: y, r: 4.5, class: "glass-reach", "data-grip": grip }), shape("rect", { x: x - 1.2, y: y - 1.2, width: 2.4, height: 2.4, "data-grip": grip })]);
  });
  const others = parts.length < 2 ? [] : parts.flatMap((one, number) => {
    const seat = number === chosen ? part : one, said = shape("text", { class: "glass-number", x: seat.left + 1.6, y: seat.top - 1.6 });
    said.textContent = String(number + 1);
    return number === chosen ? [said] : [shape("rect", { class: "glass-other", x: one.left, y: one.top, width: one.width, height: one.height }), said];
  });
  svg.replaceChildren(shade, ...others, inside, ...grips);
  if (focused) /** @type {SVGElement | null} */ (svg.querySelector(`[data-grip="${focused}"][tabindex]`))?.focus();
  sayNumbers();
}

/** @param {PointerEvent} event @returns {{x: number, y: number}} */
function inMillimetres(event) {
  const box = frame().getBoundingClientRect();
  return { x: ((event.clientX - box.left) / box.width) * (seen?.width_mm ?? 1), y: ((event.clientY - box.top) / box.height) * (seen?.height_mm ?? 1) };
}

/** Move the part, pull at it, or draw a new one beside it. @param {PointerEvent} start */
function press(start) {
  if (!seen || working) return;
  start.preventDefault();
  const glass = { width: seen.width_mm, height: seen.height_mm }, from = inMillimetres(start), before = { ...part };
  const grip = /** @type {Element} */ (start.target).getAttribute("data-grip");
  const move = (/** @type {PointerEvent} */ event) => {
    const to = inMillimetres(event);
    if (grip === "all") part = moved(before, to.x - from.x, to.y - from.y, glass);
    else if (grip) part = atLeast(pulled(before, grip, to, glass, null), glass);
    else {
      const [x, y] = [clamp(to.x, 0, glass.width), clamp(to.y, 0, glass.height)];
      part = atLeast({ left: Math.min(from.x, x), top: Math.min(from.y, y), width: Math.abs(x - from.x), height: Math.abs(y - from.y) }, glass);
    }
    draw();
  };
  const end = () => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", end);
    window.removeEventListener("pointercancel", end);
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end);
  window.addEventListener("pointercancel", end);
}

/** @param {Win} win @param {{width: number, height: number}} glass @returns {Win} */
function atLeast(win, glass) {
  const width = Math.max(win.width, LEAST_MM), height = Math.max(win.height, LEAST_MM);
  return { width, height, left: clamp(win.left, 0, glass.width - width), top: clamp(win.top, 0, glass.height - height) };
}

/** @param {KeyboardEvent} event */
function key(event) {
  const steps = /** @type {Record<string, number[]>} */ ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] })[event.key];
  if (!steps || !seen || working) return;
  event.preventDefault();
  const glass = { width: seen.width_mm, height: seen.height_mm }, by = event.ctrlKey ? 10 : 1;
  if (event.shiftKey) {
    const width = clamp(part.width + steps[0] * by, LEAST_MM, glass.width - part.left);
    part = { ...part, width, height: clamp(part.height + steps[1] * by, LEAST_MM, glass.height - part.top) };
  } else part = moved(part, steps[0] * by, steps[1] * by, glass);
  draw();
}

/** The real scan of the paper that is framed. */
async function scan() {
  await scanned([chosen], (pictures) => { location.href = `/pictures/${pictures[0]}`; });
}

/** All papers, one after the other. */
async function scanAll() {
  parts[chosen] = part;
  await scanned(parts.map((_, number) => number), () => { location.href = address.replace(/scanner$/, "gather"); });
}

/** @param {number[]} numbers @param {(pictures: number[]) => void} done */
async function scanned(numbers, done) {
  if (!seen || working) return;
  trouble("");
  working = new AbortController();
  isWorking(true);
  parts[chosen] = part;
  /** @type {number[]} */
  const pictures = [];
  try {
    for (const number of numbers) {
      if (numbers.length > 1) choose(number);
      pictures.push(await scanOne(number, working.signal, numbers.length > 1 ? `Paper ${number + 1} of ${numbers.length}. ` : ""));
    }
    byId("scan-progress").textContent = numbers.length > 1 ? "They are here." : "It is here.";
    done(pictures);
    return;
  } catch (error) {
    const stopped = error instanceof DOMException && error.name === "AbortError";
    const sentence = stopped ? "Stopped." : error instanceof Error && !(error instanceof TypeError) ? error.message : "The product does not answer. Is it still running?";
    const taken = pictures.length ? ` ${pictures.length} of ${numbers.length} papers were taken in before.` : stopped ? " Nothing was taken in." : "";
    trouble(sentence + taken);
    byId("scan-progress").textContent = "";
  }
  working = null;
  isWorking(false);
}

/** Lines of JSON say how far it is. @param {number} number @param {AbortSignal} signal @param {string} before @returns {Promise<number>} */
async function scanOne(number, signal, before) {
  if (!seen) throw new Error("The preview is gone. Look at the glass once more.");
  const straightens = field("straighten").checked;
  const body = { preview: seen.id, subject: subject().value, ...parts[number], dpi: Number(field("dpi").value), ...treated(), straighten: straightens ? seen.papers[number].straighten : 0 };
  const answer = await fetch(`${address}/scan`, { method: "POST", signal, headers: { "X-CSRF-Token": csrf(), "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) });
  if (!answer.ok || !answer.body) throw new Error((await answer.json().catch(() => ({}))).detail ?? "It could not be scanned. Try again.");
  for await (const line of linesOf(answer.body)) {
    const told = JSON.parse(line);
    if (told.words) byId("scan-progress").textContent = before + told.words;
    if (told.trouble) throw new Error(told.trouble);
    if (told.picture) return told.picture;
  }
  throw new Error("The scan broke off. Nothing was taken in; try again.");
}

/** @param {boolean} is */
function isWorking(is) {
  byId("scan-stop").hidden = !is;
  byId("scan-go").toggleAttribute("disabled", is);
  byId("scan-all").toggleAttribute("disabled", is);
  byId("look-again").toggleAttribute("disabled", is);
  byId("glass").toggleAttribute("data-moving", is);
}

/** @param {ReadableStream<Uint8Array>} stream @returns {AsyncGenerator<string>} */
async function* linesOf(stream) {
  const reader = stream.getReader(), decoder = new TextDecoder();
  let held = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    held += decoder.decode(value, { stream: true });
    const lines = held.split("\n");
    held = lines.pop() ?? "";
    for (const line of lines) if (line) yield line;
  }
}

startScanner();
