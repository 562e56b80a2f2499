// Sends one file: small ones in one request, large ones and archives in parts over tus 1.0. A connection that breaks
// is tried again; what was taken once is not taken twice, because each sending has a name of its own.
import { csrf } from "./requests.js";

const IN_PARTS_FROM = 16_000_000; // bytes
const PART = 16_000_000;
const PAUSES_MS = [500, 1_000, 2_000, 4_000, 8_000, 15_000, 15_000, 15_000, 15_000, 15_000];

/**
 * @typedef {{picture_id: number, folio_id: number, file_name: string, notes: string[], larger?: string | null, larger_size?: string}} Taken
 * @typedef {{entries: {number: number, name: string, group: string, byte_count: number}[], refused: string[], notes: string[]}} Held
 * @typedef {{taken?: Taken, held?: Held, upload?: string, trouble?: string, stopped?: boolean}} Answer
 * @typedef {{name: string, group: string, number: number, sending: string}} Named
 * @typedef {{folio_id: number | null, first: number | null, sizes: {text: string, said: string}[], address: string}} Goal
 * @typedef {{progress: (share: number) => void, waits: () => void, begun: (stop: () => void) => void}} Told
 */

/** @param {File} file @param {Named} named @param {Goal} goal @param {Told} told @returns {Promise<Answer>} */
export async function sendFile(file, named, goal, told) {
  if (file.size < IN_PARTS_FROM && !/\.(zip|tar)$/i.test(file.name)) return sendWhole(file, named, goal, told);
  const sent = await sendInParts(file, told);
  if (!sent.upload) return sent;
  const answer = await takeUpload(sent.upload, named, goal, told);
  return { ...answer, upload: sent.upload };
}

/** @param {string} upload @param {Named} named @param {Goal} goal @param {Told} told @param {number | null} entry @returns {Promise<Answer>} */
export async function takeUpload(upload, named, goal, told, entry = null) {
  const answer = await ask(`${upload}/take`, { ...asBody(named, goal), entry }, told);
  if (answer.said && "entries" in answer.said) return { held: answer.said };
  return asAnswer(answer, named.name);
}

/** @param {string} address @param {Goal} goal @param {Told} told @returns {Promise<Answer>} */
export async function takeAddress(address, goal, told) {
  const answer = await ask("/addresses", { ...asBody({ name: address, group: "", number: 0, sending: "" }, goal), address }, told, 1);
  return asAnswer(answer, address);
}

/** Let go of what was sent. @param {string} upload */
export const dropUpload = (upload) => fetch(upload, { method: "DELETE", headers: { "X-CSRF-Token": csrf(), "Tus-Resumable": "1.0.0" } }).catch(() => null);

/** @param {Named} named @param {Goal} goal */
const asBody = ({ group, number }, { folio_id, first, sizes }) => ({
  folio_id, first, number, group, size: folio_id ? [] : sizes.map((size) => size.text), said: folio_id ? [] : sizes.map((size) => size.said),
});

/** @param {File} file @param {Named} named @param {Goal} goal @param {Told} told @returns {Promise<Answer>} */
async function sendWhole(file, named, goal, told) {
  for (let tries = 0; ; tries += 1) {
    const answer = await once(file, named, goal, told);
    if (answer.stopped || !answer.again || tries >= PAUSES_MS.length) return answer;
    told.waits();
    if (await stoppedWithin(PAUSES_MS[tries] ?? 0, told)) return { stopped: true };
  }
}

/** @param {File} file @param {Named} named @param {Goal} goal @param {Told} told @returns {Promise<Answer & {again?: boolean}>} */
function once(file, named, goal, told) {
  return new Promise((done) => {
    const request = new XMLHttpRequest();
    request.open("POST", target(named, goal));
    request.setRequestHeader("X-CSRF-Token", csrf());
    request.setRequestHeader("Accept", "application/json");
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => told.progress(event.loaded / Math.max(1, event.total));
    request.onload = () => {
      /** @type {any} */ let said = null;
      try { said = JSON.parse(request.responseText); } catch { /* no words came with it */ }
      done({ ...asAnswer({ status: request.status, said }, named.name), again: request.status === 503 });
    };
    request.onerror = () => done({ trouble: `“${named.name}” was not taken. The product does not answer.`, again: true });
    request.onabort = () => done({ stopped: true });
    told.begun(() => request.abort());
    request.send(file);
  });
}

/** @param {Named} named @param {Goal} goal */
function target({ name, number, group, sending }, { folio_id, first, sizes, address }) {
  const query = new URLSearchParams({ name, group, sending });
  if (first) query.append("first", String(first));
  if (first) query.append("number", String(number));
  if (folio_id) return `/folios/${folio_id}/pictures?${query}`;
  for (const size of sizes) {
    query.append("size", size.text);
    query.append("said", size.said);
  }
  return `${address}?${query}`;
}

/** @param {File} file @param {Told} told @returns {Promise<Answer>} */
async function sendInParts(file, told) {
  const tus = await library();
  return new Promise((done) => {
    const upload = new tus.Upload(file, {
      endpoint: "/uploads",
      chunkSize: PART,
      retryDelays: PAUSES_MS,
      storeFingerprintForResuming: true,
      removeFingerprintOnSuccess: true,
      metadata: { filename: file.name },
      headers: { "X-CSRF-Token": csrf(), Accept: "application/json" },
      onProgress: (/** @type {number} */ sent, /** @type {number} */ total) => told.progress(sent / Math.max(1, total)),
      onShouldRetry: (/** @type {any} */ error) => {
        told.waits();
        const status = error.originalResponse?.getStatus() ?? 0;
        return status === 0 || status === 409 || status === 423 || status >= 500;
      },
      onError: (/** @type {any} */ error) => {
        const said = error.originalResponse?.getBody();
        /** @type {any} */ let words = null;
        try { words = JSON.parse(said); } catch { /* none */ }
        done({ trouble: `“${file.name}” was not taken. ${words?.detail ?? "The connection broke; choose it again to go on where it stopped."}` });
      },
      onSuccess: () => done({ upload: new URL(/** @type {string} */ (upload.url), location.href).pathname }),
    });
    told.begun(() => { void upload.abort(true).catch(() => null); done({ stopped: true }); });
    // what was begun before a reload goes on
    upload.findPreviousUploads().then((/** @type {any[]} */ before) => {
      if (before[0]) upload.resumeFromPreviousUpload(before[0]);
      upload.start();
    });
  });
}

/** @param {string} path @param {object} body @param {Told} told @param {number} most */
async function ask(path, body, told, most = PAUSES_MS.length) {
  const stop = new AbortController();
  told.begun(() => stop.abort());
  for (let tries = 0; ; tries += 1) {
    try {
      const answer = await fetch(path, { method: "POST", signal: stop.signal, headers: { "X-CSRF-Token": csrf(), Accept: "application/json", "Content-Type": "application/json" }, body: JSON.stringify(body) });
      const said = await answer.json().catch(() => null);
      if (answer.status !== 503 || tries >= most) return { status: answer.status, said };
    } catch {
      if (stop.signal.aborted) return { status: 0, said: null, stopped: true };
      if (tries >= most) return { status: 0, said: null };
    }
    told.waits();
    if (await stoppedWithin(PAUSES_MS[tries] ?? 0, told)) return { status: 0, said: null, stopped: true };
  }
}

/** @param {{status: number, said: any, stopped?: boolean}} answer @param {string} name @returns {Answer} */
function asAnswer({ status, said, stopped }, name) {
  if (stopped) return { stopped };
  if (said?.picture_id) return { taken: said };
  const why = status ? `The product answered ${status}.` : "The product does not answer.";
  return { trouble: said?.detail ?? `“${name}” was not taken. ${why}` };
}

/** Waits before the next try; whether it was stopped meanwhile. @param {number} pause @param {Told} told @returns {Promise<boolean>} */
function stoppedWithin(pause, told) {
  return new Promise((done) => {
    const timer = window.setTimeout(() => done(false), pause);
    told.begun(() => { clearTimeout(timer); done(true); });
  });
}

/** Fetched when the first large file is there. @type {Promise<any> | null} */
let asked = null;

/** @returns {Promise<any>} */
function library() {
  asked ??= new Promise((done, failed) => {
    const script = document.createElement("script");
    script.src = new URL("../static/vendor/tus.min.js", import.meta.url).pathname;
    script.onload = () => done(/** @type {any} */ (window).tus);
    script.onerror = () => { asked = null; failed(new Error("a part of this page is missing")); };
    document.head.append(script);
  });
  return asked;
}
