// Pictures on their way in: typed sizes, chosen and dropped files, progress, and where to go on.
// Sends each file as one request, two at a time once the first is taken and has made the folio; a refused file is
// said and does not stop the others.
import { empty, partsOf } from "./readings.js";
import { csrf } from "./requests.js";

const MOST_BYTES = 200_000_000;
const AT_ONCE = 2;

/**
 * @typedef {{number: number, name: string, state: string, busy: boolean, sending: boolean, waiting: boolean, progressStyle: object,
 *   trouble: string, notes: string, image: string, file: File, request: XMLHttpRequest | null}} Arriving
 * @typedef {{picture_id: number, folio_id: number, notes: string[]}} Taken
 */

/** @param {AlpineLike} Alpine */
export function registerArrivals(Alpine) {
  Alpine.data("arrivals", () => ({
    /** @type {Arriving[]} */ files: [],
    /** @type {{text: string, said: string, words: string, removeWords: string}[]} */ sizes: [],
    sizeTrouble: "",
    typed: "",
    said: "",
    /** @type {Promise<boolean>} */ adding: Promise.resolve(true),
    busy: false,
    going: false,
    stopped: false,
    address: "",
    /** @type {Taken[]} */ taken: [],

    init() { this.address = /** @type {any} */ (this).$el.dataset.address; },
    get noSizes() { return this.sizes.length === 0; },
    get busyOrTroubled() { return this.files.length > 0; },
    get failed() { return this.files.filter((file) => file.trouble).length; },
    get goOnAddress() { return !this.busy && !this.going && this.taken.length ? this.nextAddress() : ""; },
    get canDismiss() { return !this.busy && this.taken.length === 0; },
    get summary() {
      const arrived = `${this.taken.length} of ${this.files.length} arrived`;
      if (this.busy) return arrived;
      if (this.going) return "Opening …";
      return this.failed ? `${arrived}, ${this.failed} not taken.` : arrived;
    },

    dropArea: {
      /** @this {any} @param {DragEvent} event */
      "@dragover.prevent"(event) { /** @type {HTMLElement} */ (event.currentTarget).dataset.over = ""; },
      /** @this {any} @param {DragEvent} event */
      "@dragleave"(event) { delete (/** @type {HTMLElement} */ (event.currentTarget).dataset.over); },
      /** @this {any} @param {DragEvent} event */
      "@drop.prevent"(event) {
        delete (/** @type {HTMLElement} */ (event.currentTarget).dataset.over);
        this.receive([...(event.dataTransfer?.files ?? [])]);
      },
    },
    chooser: {
      /** @this {any} @param {Event} event */
      "@change"(event) {
        const input = /** @type {HTMLInputElement} */ (event.target);
        this.receive([...(input.files ?? [])]);
        input.value = "";
      },
    },
    sizeForm: {
      /** @this {any} @param {SubmitEvent} event */
      async "@submit.prevent"(event) {
        // a reading that was clicked, or the one that is marked
        const clicked = /** @type {HTMLButtonElement | null} */ (event.submitter);
        if (clicked?.name === "said") this.said = clicked.value;
        await this.addSize();
      },
    },
    sizeInput: {
      /** @this {any} @param {Event} event */
      "@input"(event) {
        this.typed = /** @type {HTMLInputElement} */ (event.target).value;
        this.said = "";
        this.sizeTrouble = "";
      },
    },

    /** One typed size after the other, so that dropped files never overtake one. @returns {Promise<boolean>} */
    addSize() {
      const text = this.typed.trim();
      const marked = partsOf(document.getElementById("start-line"))?.said?.value ?? "";
      const said = this.said || marked;
      this.typed = "";
      this.said = "";
      this.adding = this.adding.then(() => (text ? this.understand(text, said) : !this.sizeTrouble));
      return this.adding;
    },

    /** @param {string} text @param {string} said @returns {Promise<boolean>} */
    async understand(text, said) {
      const answer = await fetch(`/start/size?${new URLSearchParams({ text, said })}`, { headers: { Accept: "application/json" } });
      const read = await answer.json();
      this.sizeTrouble = answer.ok ? "" : read.detail;
      if (!answer.ok) return false;
      if (!this.sizes.some((size) => size.words === read.words)) {
        this.sizes.push({ text, said: read.said, words: read.words, removeWords: `Remove ${read.words}` });
      }
      const input = /** @type {HTMLInputElement | null} */ (document.getElementById("start-line"));
      if (input && input.value.trim() === text) empty(input);
      return true;
    },

    /** @param {Event} event */
    dropSize(event) {
      const text = /** @type {HTMLElement} */ (event.currentTarget).dataset.size;
      this.sizes = this.sizes.filter((size) => size.words !== text);
    },

    /** @param {File[]} files */
    async receive(files) {
      if (this.busy || files.length === 0) return;
      // a size that was typed but not added yet counts too; one that is not understood is said first
      if (!(await this.addSize())) return;
      this.files = files.map((file, number) => ({
        number, name: file.name, state: "waiting", busy: false, sending: false, waiting: false, progressStyle: {}, trouble: "", notes: "", image: "", file, request: null,
      }));
      this.taken = [];
      this.busy = true;
      this.stopped = false;
      const waiting = [...this.files];
      while (waiting.length && !this.stopped && !this.taken.length) await this.send(/** @type {Arriving} */ (waiting.shift()));
      const sendNext = async () => {
        for (let file = waiting.shift(); file && !this.stopped; file = waiting.shift()) await this.send(file);
      };
      await Promise.all(Array.from({ length: AT_ONCE }, sendNext));
      this.busy = false;
      const quiet = this.files.every((file) => !file.trouble && !file.notes);
      if (this.taken.length && quiet && !this.stopped) {
        this.going = true;
        location.assign(this.nextAddress());
      }
    },

    stop() {
      this.stopped = true;
      for (const file of this.files) {
        file.request?.abort();
        if (file.state === "waiting") file.state = "not sent";
      }
    },

    dismiss() { this.files = []; },

    nextAddress() {
      const [first] = this.taken;
      if (!first) return "";
      const one = this.files.length === 1 && this.taken.length === 1;
      if (one) return `/pictures/${first.picture_id}`;
      return this.sizes.length ? `/folios/${first.folio_id}/proof?order=flagged` : `/folios/${first.folio_id}/gather`;
    },

    /** @param {Arriving} file @returns {Promise<void>} */
    send(file) {
      if (file.file.size > MOST_BYTES) {
        const weight = Math.round(file.file.size / 1e6);
        file.trouble = `“${file.name}” was not taken. It weighs ${weight} MB; files of up to 200 MB are taken.`;
        file.state = "not taken";
        return Promise.resolve();
      }
      return new Promise((done) => {
        const request = new XMLHttpRequest();
        file.request = request;
        request.open("POST", this.target(file));
        request.setRequestHeader("X-CSRF-Token", csrf());
        request.setRequestHeader("Accept", "application/json");
        request.setRequestHeader("Content-Type", "application/octet-stream");
        request.upload.onprogress = (event) => this.show(file, event.loaded / event.total);
        request.onload = () => this.answered(file, request);
        request.onerror = () => { file.trouble = `“${file.name}” was not taken. The product does not answer.`; file.state = "not taken"; };
        request.onabort = () => { file.state = "stopped"; };
        request.onloadend = () => { file.busy = file.sending = file.waiting = false; file.request = null; done(); };
        file.busy = file.waiting = true;
        request.send(file.file);
      });
    },

    /** @param {Arriving} file */
    target({ name, number }) {
      const query = new URLSearchParams({ name });
      const [first] = this.taken;
      if (first) query.append("first", String(first.picture_id));
      if (first) query.append("number", String(number));
      if (first) return `/folios/${first.folio_id}/pictures?${query}`;
      for (const size of this.sizes) {
        query.append("size", size.text);
        query.append("said", size.said);
      }
      return `${this.address}?${query}`;
    },

    /** @param {Arriving} file @param {number} share */
    show(file, share) {
      file.progressStyle = { transform: `scaleX(${share})` };
      file.state = share < 1 ? `${Math.round(100 * share)} %` : "being read";
      file.sending = share < 1;
      file.waiting = share >= 1;
    },

    /** @param {Arriving} file @param {XMLHttpRequest} request */
    answered(file, request) {
      /** @type {any} */ let said = {};
      try { said = JSON.parse(request.responseText); } catch { /* no words came with it */ }
      if (request.status >= 400 || !said.picture_id) {
        file.trouble = said.detail ?? `“${file.name}” was not taken. The product answered ${request.status}.`;
        file.state = "not taken";
        return;
      }
      this.taken.push(said);
      file.image = `/pictures/${said.picture_id}/preview?w=240&h=240`;
      file.notes = said.notes.join(" ");
      file.state = "taken";
    },
  }));
}
