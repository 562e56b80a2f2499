// Weigh: the chart of weight against likeness is the control; curves fill in as they are measured. Emits nothing.
import { shape } from "../../../shell/js/drawing.js";
import { lookAt, reach, showFile, startLoupes } from "./loupes.js";
import { say } from "../../../shell/js/requests.js";
import { atWeight, further, nearest, ordered, smoothPath, ticks, weightAt } from "./weigh_curve.js";

/** @typedef {import("./weigh_curve.js").Point} Point */
/**
 * @typedef {{formats: {name: string, label: string, ladder: number[], qualities: number[]}[], known: Point[], current: Point | null,
 *   knees: Record<string, {bytes: number, likeness: number}>, ceiling: number | null, borders: [number, string][], size: [number, number], key: string}} Facts
 */

const AT_ONCE = 2, REST_MS = 160, LEAST = 10, ENOUGH = 93;
const ROOM = { left: 70, right: 26, top: 34, bottom: 34 };
const STROKES = ["", "9 5", "1.5 5", "14 4 2 4"];

/** @type {string} */
let at;
/** @type {Facts} */
let facts;
/** @type {Record<string, Point[]>} */
const curves = {};
/** @type {Record<string, {bytes: number, likeness: number}>} */
let knees = {};
/** The chosen point; while it glides along its curve it is only read off. @type {{format: string, quality: number, bytes: number, likeness: number, point: Point | null} | null} */
let chosen = null;
/** @type {Record<string, Point | null>} */
const rows = {};
let most = 1, rest = 0, left = 0;
const leaving = new AbortController();

function startWeigh() {
  const seat = document.querySelector("[data-weigh]"), given = document.getElementById("weigh-facts");
  if (!seat || !given?.textContent) return;
  at = seat.getAttribute("data-weigh") ?? "";
  facts = JSON.parse(given.textContent);
  knees = facts.knees;
  for (const point of [...facts.known, ...(facts.current ? [facts.current] : [])]) keep(point);
  // whoever leaves waits for nothing any more, and the server stops what it is at
  window.addEventListener("pagehide", () => leaving.abort());
  startLoupes({ at, size: { width: facts.size[0], height: facts.size[1] }, key: facts.key });
  const chart = chartOf();
  chart.addEventListener("pointerdown", press);
  chart.addEventListener("keydown", key);
  new ResizeObserver(draw).observe(chart);
  for (const row of document.querySelectorAll("[data-row]")) row.querySelector("button")?.addEventListener("click", () => goTo(rows[row.getAttribute("data-row") ?? ""]));
  document.getElementById("weigh-spots")?.addEventListener("click", nextSpot);
  rows.now = facts.current;
  begin();
  void measureAll();
}

/** The point stands on the file as it is written now; where that lies on no curve, on the usual one of the first format. */
function begin() {
  const first = facts.formats[0];
  const point = facts.current ?? curves[first?.name ?? ""]?.find((one) => one.quality === first?.ladder[0]);
  if (chosen || !point) return;
  choose(point);
  void firstSpot(point);
}

const chartOf = () => /** @type {SVGSVGElement} */ (/** @type {unknown} */ (document.getElementById("weigh-chart")));
const formatOf = (/** @type {string} */ name) => facts.formats.find((one) => one.name === name);

/** @param {Point} point */
function keep(point) {
  const others = (curves[point.format] ?? []).filter((one) => one.quality !== point.quality);
  curves[point.format] = [...others, point];
}

/** @param {string} path @returns {Promise<{point: Point | null, knees: typeof knees}>} */
async function ask(path) {
  const answer = await fetch(`${at}/${path}`, { signal: leaving.signal });
  if (!answer.ok) throw new Error(String(answer.status));
  return answer.json();
}

/** Everything that is not known yet, the first curve first; then what is read off the curves. */
async function measureAll() {
  // the heaviest to measure comes last
  const missing = [...facts.formats].sort((a, b) => Number(a.ladder[0] === 100) - Number(b.ladder[0] === 100)).flatMap((one) => one.ladder.filter((quality) => !curves[one.name]?.some((point) => point.quality === quality)).map((quality) => ({ format: one, quality })));
  left = missing.length;
  tellProgress(missing[0]?.format.label);
  const work = async () => {
    for (let next = missing.shift(); next; next = missing.shift()) {
      tellProgress(next.format.label);
      const answer = await ask(`points/${next.format.name}/${next.quality}`);
      if (answer.point) keep(answer.point);
      knees = answer.knees;
      left -= 1;
      begin();
      draw();
    }
  };
  try {
    await Promise.all(Array.from({ length: AT_ONCE }, work));
    tellProgress();
    await readOff();
  } catch (error) {
    if (!leaving.signal.aborted) tellProgress(undefined, "Some points could not be measured. Open the page again to measure the rest.");
  }
}

/** @param {string} [label] @param {string} [trouble] */
function tellProgress(label, trouble) {
  const seat = document.getElementById("weigh-progress");
  if (seat) seat.textContent = trouble ?? (left && label ? `· measuring ${label}, ${left} to go` : "");
}

/** The rows beside the chart: the lightest that looks the same, the best under the ceiling, the one without loss. */
async function readOff() {
  const border = facts.borders[0][0];
  const drawn = facts.formats.filter((one) => (curves[one.name] ?? []).length > 1);
  for (const one of drawn) await goOn(one);
  const light = drawn.filter((one) => curves[one.name].some((point) => point.likeness >= border)).sort((a, b) => weightAt(ordered(curves[a.name]), border) - weightAt(ordered(curves[b.name]), border))[0];
  const exact = facts.formats.map((one) => (curves[one.name] ?? []).find((point) => point.words === "no loss")).filter((point) => point !== undefined).sort((a, b) => a.bytes - b.bytes)[0];
  fillRow("exact", exact ?? null);
  fillRow("light", light ? (await ask(`lightest/${light.name}`)).point : null);
  if (facts.ceiling) {
    const ceiling = facts.ceiling;
    const best = drawn.filter((one) => Math.min(...curves[one.name].map((point) => point.bytes)) <= ceiling).sort((a, b) => atWeight(ordered(curves[b.name]), ceiling).likeness - atWeight(ordered(curves[a.name]), ceiling).likeness)[0];
    fillRow("best", best ? (await ask(`best/${best.name}`)).point : null);
  }
  draw();
}

/** A curve that ends below the ceiling goes on, until more would hardly be seen. @param {Facts["formats"][number]} format */
async function goOn(format) {
  for (let more = 0; more < 2 && facts.ceiling; more += 1) {
    const curve = ordered(curves[format.name]).filter((point) => point.words !== "no loss"), last = curve[curve.length - 1];
    if (!last || last.bytes > 0.85 * facts.ceiling || last.likeness > ENOUGH) return;
    const quality = nearest(format.qualities, (last.quality + 100) / 2);
    if (curves[format.name].some((point) => point.quality === quality)) return;
    const answer = await ask(`points/${format.name}/${quality}`);
    if (answer.point) keep(answer.point);
    draw();
  }
}

/** @param {string} name @param {Point | null} point */
function fillRow(name, point) {
  rows[name] = point;
  if (point) keep(point);
  const row = document.querySelector(`[data-row="${name}"]`), cell = row?.querySelector("td"), button = row?.querySelector("button");
  if (!row || !cell) return;
  const over = point && facts.ceiling && point.bytes > facts.ceiling;
  cell.innerHTML = "";
  const words = document.createElement("span");
  words.className = over ? "flag measure" : "measure";
  words.textContent = point ? `${point.label} ${point.weight}` : "none does";
  cell.append(words);
  if (button) button.disabled = !point;
}

/** @param {Point | null | undefined} point */
function goTo(point) {
  if (!point) return;
  keep(point);
  choose(point);
  chartOf().focus();
}

/** A measured point is the chosen one. @param {Point} point */
function choose(point) {
  chosen = { format: point.format, quality: point.quality, bytes: point.bytes, likeness: point.likeness, point };
  showFile(point.format, point.quality);
  tell();
  draw();
}

/** The point glides along a curve; where it rests, the file is made and measured. @param {string} format @param {number} quality @param {{bytes: number, likeness: number}} read */
function glide(format, quality, read) {
  const known = curves[format]?.find((point) => point.quality === quality);
  if (known) {
    window.clearTimeout(rest);
    return choose(known);
  }
  chosen = { format, quality, bytes: read.bytes, likeness: read.likeness, point: null };
  tell();
  draw();
  window.clearTimeout(rest);
  rest = window.setTimeout(async () => {
    try {
      const answer = await ask(`points/${format}/${quality}`);
      if (!answer.point) return;
      keep(answer.point);
      knees = answer.knees;
      if (chosen?.format === format && chosen.quality === quality) choose(answer.point);
    } catch {
      if (!leaving.signal.aborted) say("This point could not be measured. Try it again in a moment.");
    }
  }, REST_MS);
}

/** What the point is, in words first. */
function tell() {
  if (!chosen) return;
  const point = chosen.point, label = formatOf(chosen.format)?.label ?? chosen.format;
  const head = document.getElementById("weigh-head"), numbers = document.getElementById("weigh-numbers"), row = document.querySelector('[data-row="this"] td');
  const about = `about ${Math.round(chosen.bytes / 1000)} kB`;
  const words = point ? `${point.weight}, ${label}, ${point.words}` : `${about}, ${label}, being measured`;
  if (head) head.textContent = words;
  if (row) row.textContent = point ? point.weight : about;
  const apart = facts.ceiling && point ? facts.ceiling - point.bytes : null;
  const beside = apart === null ? "" : ` · ${weightOf(Math.abs(apart))} ${apart < 0 ? "above" : "below"} the ceiling`;
  if (numbers) numbers.textContent = point ? `quality ${point.quality} · likeness ${Math.round(point.likeness)} of 100${beside}` : "\u00a0";
  for (const seat of document.querySelectorAll("[data-wait]")) seat.textContent = point?.waits[Number(seat.getAttribute("data-wait"))] ?? "…";
  const warning = document.getElementById("weigh-warning");
  if (warning) {
    warning.hidden = !(apart !== null && apart < 0);
    warning.textContent = warning.hidden ? "" : "This is heavier than the place allows.";
  }
  const caption = document.getElementById("loupe-words");
  if (caption && point) caption.textContent = `${point.weight} ${label}`;
  const chart = chartOf();
  chart.setAttribute("aria-valuenow", String(chosen.quality));
  chart.setAttribute("aria-valuetext", words);
  const form = document.querySelector(".weigh-take");
  for (const button of form?.querySelectorAll("button") ?? []) button.disabled = !point;
  const fields = { name: chosen.format, quality: String(chosen.quality) };
  for (const [name, value] of Object.entries(fields)) {
    const field = form?.querySelector(`input[name=${name}]`);
    if (field instanceof HTMLInputElement) field.value = value;
  }
}

const weightOf = (/** @type {number} */ bytes) => (bytes >= 1_000_000 ? `${(bytes / 1_000_000).toFixed(1)} MB` : bytes >= 1000 ? `${Math.round(bytes / 1000)} kB` : `${bytes} B`);

// --- the chart ---

function scale() {
  const box = chartOf().getBoundingClientRect();
  const inner = { width: Math.max(50, box.width - ROOM.left - ROOM.right), height: Math.max(50, box.height - ROOM.top - ROOM.bottom) };
  const x = (/** @type {number} */ bytes) => ROOM.left + (inner.width * bytes) / most;
  const y = (/** @type {number} */ likeness) => ROOM.top + (inner.height * (100 - Math.max(likeness, LEAST))) / (100 - LEAST);
  return { box, inner, x, y, bytesAt: (/** @type {number} */ px) => (most * (px - ROOM.left)) / inner.width };
}

/** So much is shown that every lossy curve is there up to where it looks the same, and the ceiling. */
function measureRoom() {
  const border = facts.borders[0][0];
  const wanted = [facts.ceiling ?? 0, facts.current?.bytes ?? 0, chosen?.bytes ?? 0];
  for (const one of facts.formats) {
    const curve = ordered(curves[one.name] ?? []).filter((point) => point.words !== "no loss");
    const same = curve.find((point) => point.likeness >= border);
    if (curve.length) wanted.push((same ?? curve[curve.length - 1]).bytes);
  }
  // a heavy format does not press all others to the edge: they have room first
  const sorted = wanted.filter((one) => one > 0).sort((a, b) => a - b), usual = sorted[Math.floor(sorted.length / 2)] ?? 1000;
  most = 1.12 * Math.max(1000, facts.ceiling ?? 0, chosen?.bytes ?? 0, ...sorted.filter((one) => one <= 3 * usual));
}

function draw() {
  if (!facts) return;
  if (!dragging) measureRoom();
  const chart = chartOf(), { box, inner, x, y } = scale();
  chart.setAttribute("viewBox", `0 0 ${box.width} ${box.height}`);
  const right = ROOM.left + inner.width, foot = ROOM.top + inner.height;
  const clip = shape("clipPath", { id: "weigh-clip" }, [shape("rect", { x: ROOM.left, y: ROOM.top - 6, width: inner.width, height: inner.height + 6 })]);
  chart.replaceChildren(shape("defs", {}, [clip]), ...bands(right, y), ...scaleMarks(x, foot), ...ceilingMark(x, foot), ...facts.formats.flatMap((one, i) => curveMarks(one, STROKES[i % STROKES.length], x, y)), ...chosenMark(x, y, foot));
}

/** The words of likeness as bands. @param {number} right @param {(likeness: number) => number} y */
function bands(right, y) {
  let upper = 100;
  return facts.borders.flatMap(([least, words], i) => {
    const lower = Math.max(least, LEAST), from = y(upper), to = y(lower);
    upper = lower;
    const short = ["the same", "slight", "visible", "poor"][i] ?? words;
    return [
      shape("rect", { class: `weigh-band weigh-band-${i}`, x: ROOM.left, y: from, width: right - ROOM.left, height: Math.max(0, to - from) }),
      named(shape("text", { class: "weigh-word", x: ROOM.left - 8, y: (from + to) / 2, "text-anchor": "end", "dominant-baseline": "middle" }), to - from < 12 ? "" : short),
    ];
  });
}

/** @param {(bytes: number) => number} x @param {number} foot */
function scaleMarks(x, foot) {
  const marks = ticks(most);
  return [
    shape("path", { class: "weigh-axis", d: `M${x(0)} ${foot}H${x(most)}${marks.map((one) => `M${x(one)} ${foot - 3}v6`).join("")}` }),
    ...marks.map((one, i) => named(shape("text", { class: "weigh-number", x: x(one), y: foot + 18, "text-anchor": "middle" }), i === marks.length - 1 ? weightOf(one) : one >= 1_000_000 ? (one / 1_000_000).toFixed(1) : String(Math.round(one / 1000)))),
  ];
}

/** @param {(bytes: number) => number} x @param {number} foot */
function ceilingMark(x, foot) {
  if (!facts.ceiling) return [];
  const there = x(facts.ceiling);
  return [shape("path", { class: "weigh-ceiling", d: `M${there} ${ROOM.top}V${foot}` }), named(shape("text", { class: "weigh-ceiling-word", x: there + 5, y: foot - 9 }), "ceiling")];
}

/** @param {Facts["formats"][number]} format @param {string} stroke @param {(bytes: number) => number} x @param {(likeness: number) => number} y */
function curveMarks(format, stroke, x, y) {
  const curve = ordered(curves[format.name] ?? []);
  if (!curve.length) return [];
  const places = curve.map((point) => ({ x: x(point.bytes), y: y(point.likeness) }));
  const isChosen = chosen?.format === format.name, knee = knees[format.name];
  const parts = [shape("path", { class: "weigh-curve", d: smoothPath(places), "stroke-dasharray": stroke, "clip-path": "url(#weigh-clip)", ...(isChosen ? { "data-chosen": "" } : {}) })];
  for (const [i, place] of places.entries()) if (curve[i].bytes <= most) parts.push(shape("circle", { class: "weigh-dot", cx: place.x, cy: place.y, r: 1.8 }));
  if (knee && knee.bytes <= most) parts.push(shape("circle", { class: "weigh-knee", cx: x(knee.bytes), cy: y(knee.likeness), r: 4.5 }));
  const seen = curve.filter((point) => point.bytes <= most);
  const end = seen[seen.length - 1];
  if (!end) return [named(shape("text", { class: "weigh-label", x: x(most) - 2, y: y(curve[0].likeness) + 14, "text-anchor": "end" }), `${format.label} from ${curve[0].weight} ›`)];
  // the name stands where the curve ends, or leaves the chart, below its line
  const goesOn = curve[curve.length - 1].bytes > most, last = goesOn ? atWeight(curve, most) : end;
  const isLate = goesOn || last.bytes > 0.9 * most;
  const at = isLate ? { x: Math.min(x(last.bytes), x(most)) - 6, "text-anchor": "end", y: y(last.likeness) + 18 } : { x: x(last.bytes) + 8, "text-anchor": "start", y: y(last.likeness) + 5 };
  parts.push(named(shape("text", { class: "weigh-label", ...at, ...(isChosen ? { "data-chosen": "" } : {}) }), format.label));
  return parts;
}

/** @param {(bytes: number) => number} x @param {(likeness: number) => number} y @param {number} foot */
function chosenMark(x, y, foot) {
  if (!chosen) return [];
  const there = { x: x(chosen.bytes), y: y(chosen.likeness) };
  const words = chosen.point?.weight ?? `about ${weightOf(chosen.bytes)}`;
  return [
    shape("path", { class: "weigh-stem", d: `M${there.x} ${ROOM.top - 8}V${foot}` }),
    shape("circle", { class: "weigh-point", cx: there.x, cy: there.y, r: 8, ...(chosen.point ? {} : { "data-gliding": "" }) }),
    named(shape("text", { class: "weigh-weight", x: Math.min(Math.max(there.x, ROOM.left + 30), x(most) - 30), y: ROOM.top - 14, "text-anchor": "middle" }), words),
  ];
}

/** @param {SVGElement} element @param {string} words */
function named(element, words) {
  element.textContent = words;
  return element;
}

// --- moving the point ---

let dragging = false;

/** @param {PointerEvent} down */
function press(down) {
  const chart = chartOf();
  down.preventDefault();
  chart.focus();
  const begun = nearestCurve(down) ?? chosen?.format;
  if (!begun) return;
  dragging = true;
  const move = (/** @type {PointerEvent} */ event) => {
    const { bytesAt, box } = scale(), curve = ordered(curves[begun]);
    const bytes = Math.max(bytesAt(event.clientX - box.left), 1), qualities = formatOf(begun)?.qualities ?? [];
    const last = curve[curve.length - 1];
    // beyond what was measured the curve goes on: where to, the file itself tells
    const further = Math.min(Math.max(Math.log(bytes / last.bytes) / Math.log(3), 0), 1) * (qualities[qualities.length - 1] - last.quality);
    const read = further > 0 ? { ...last, bytes: Math.min(bytes, most), quality: last.quality + further } : atWeight(curve, bytes);
    glide(begun, nearest(qualities, read.quality), read);
  };
  move(down);
  const end = () => {
    window.removeEventListener("pointermove", move);
    dragging = false;
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end, { once: true });
}

/** The curve that lies nearest above or below a spot; the chosen one where its point is pulled. @param {PointerEvent} event */
function nearestCurve(event) {
  const { box, x, y, bytesAt } = scale(), spot = { x: event.clientX - box.left, y: event.clientY - box.top };
  if (chosen && Math.hypot(x(chosen.bytes) - spot.x, y(chosen.likeness) - spot.y) < 16) return chosen.format;
  const near = facts.formats
    .filter((one) => (curves[one.name] ?? []).length > 1)
    .map((one) => {
      const read = atWeight(ordered(curves[one.name]), Math.max(bytesAt(spot.x), 1));
      return { name: one.name, apart: Math.hypot(x(read.bytes) - spot.x, y(read.likeness) - spot.y) };
    })
    .sort((a, b) => a.apart - b.apart)[0];
  return near?.name;
}

/** @param {KeyboardEvent} event */
function key(event) {
  if (!chosen || event.ctrlKey || event.metaKey || event.altKey) return;
  const steps = /** @type {Record<string, number>} */ ({ ArrowLeft: -1, ArrowRight: 1, PageDown: -8, PageUp: 8, Home: -100, End: 100 })[event.key];
  const format = formatOf(chosen.format);
  if (steps && format) {
    event.preventDefault();
    const quality = further(format.qualities, chosen.quality, event.shiftKey ? 5 * steps : steps);
    glide(chosen.format, quality, readAt(chosen.format, quality));
  }
  if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    event.preventDefault();
    const drawn = facts.formats.filter((one) => (curves[one.name] ?? []).length > 1), here = drawn.findIndex((one) => one.name === chosen?.format);
    const next = drawn[(here + (event.key === "ArrowUp" ? -1 : 1) + drawn.length) % drawn.length];
    if (!next || next.name === chosen.format) return;
    const curve = ordered(curves[next.name]), read = atWeight(curve, weightAt(curve, chosen.likeness));
    glide(next.name, nearest(next.qualities, read.quality), read);
  }
}

/** Weight and likeness of a quality, read off its curve. @param {string} name @param {number} quality */
function readAt(name, quality) {
  const curve = [...(curves[name] ?? [])].sort((a, b) => a.quality - b.quality);
  const above = curve.findIndex((point) => point.quality >= quality);
  if (above <= 0) return above === 0 ? curve[0] : curve[curve.length - 1];
  const a = curve[above - 1], b = curve[above], share = (quality - a.quality) / (b.quality - a.quality);
  return { bytes: a.bytes * Math.pow(b.bytes / a.bytes, share), likeness: a.likeness + share * (b.likeness - a.likeness) };
}

// --- where it differs most ---

/** @type {{of: string, spots: [number, number][], at: number}} */
const seen = { of: "", spots: [], at: 0 };

/** What a loupe shows, or less where that is much of the picture. */
function spotSize() {
  const part = reach(), third = (/** @type {number} */ side) => Math.max(1, Math.round(side / 3));
  return { width: Math.min(part.width, third(facts.size[0])), height: Math.min(part.height, third(facts.size[1])) };
}

/** @param {Point} point */
async function spotsOf(point) {
  const of = `${point.format} ${point.quality}`;
  if (seen.of === of) return;
  const part = spotSize();
  const answer = await fetch(`${at}/spots?name=${point.format}&quality=${point.quality}&width=${part.width}&height=${part.height}`, { signal: leaving.signal });
  if (!answer.ok) throw new Error(String(answer.status));
  Object.assign(seen, { of, spots: (await answer.json()).spots, at: -1 });
}

/** @param {Point} point */
async function firstSpot(point) {
  try {
    await spotsOf(point);
    step();
  } catch {
    // the loupes stay in the middle; the button asks again
    const button = document.getElementById("weigh-spots");
    if (button instanceof HTMLButtonElement) button.disabled = false;
  }
}

async function nextSpot() {
  if (!chosen?.point) return;
  try {
    await spotsOf(chosen.point);
    step();
  } catch {
    if (!leaving.signal.aborted) say("Where it differs could not be found. Try it again in a moment.");
  }
}

function step() {
  const button = document.getElementById("weigh-spots");
  if (!(button instanceof HTMLButtonElement)) return;
  button.disabled = false;
  if (!seen.spots.length) {
    button.textContent = "nothing differs";
    return;
  }
  seen.at = (seen.at + 1) % seen.spots.length;
  const part = spotSize(), [x, y] = seen.spots[seen.at];
  lookAt(x + part.width / 2, y + part.height / 2);
  button.textContent = `${seen.at + 1} of ${seen.spots.length} spots that differ most ›`;
}

startWeigh();
