// Pictures on their way in: chosen, dropped and pasted files, folders, archives and addresses; progress of each and of
// all, and where to go on. Two files at a time once the first is taken; a refused file is said and does not stop the
// others.
import { chosenFiles, droppedFiles } from "./dropped.js";
import { empty, partsOf } from "./readings.js";
import { csrf } from "./requests.js";

// fetched with the first file: no page has to carry it before
const sending = () => import("./sending.js");

const AT_ONCE = 2;

/**
 * @typedef {import("./sending.js").Taken} Taken
 * @typedef {{number: number, name: string, group: string, bytes: number, share: number, state: string, sending: boolean, waiting: boolean,
 *   progressStyle: object, trouble: string, notes: string, image: string, larger: string, largerWords: string, file: File | null,
 *   upload: string, entry: number | null, address: string, canStop: boolean, stopWords: string, done: boolean}} Arriving
 */

// kept apart: what the page shows calls functions that it finds
/** @type {Map<number, () => void>} */
const stops = new Map();

/** @param {AlpineLike} Alpine */
export function registerArrivals(Alpine) {
  Alpine.data("arrivals", () => ({
    /** @type {Arriving[]} */ files: [],
    /** @type {{text: string, said: string, words: string, removeWords: string}[]} */ sizes: [],
    sizeTrouble: "",
    typed: "",
    said: "",
    typedAddress: "",
    asksAddress: false,
    /** @type {{id: string, words: string}[]} */ left: [],
    /** @type {Promise<boolean>} */ adding: Promise.resolve(true),
    busy: false,
    going: false,
    stopped: false,
    address: "",
    /** @type {number | null} */ folio: null,
    /** @type {Taken[]} */ taken: [],

    init() {
      const { dataset } = /** @type {any} */ (this).$el;
      this.address = dataset.address;
      this.folio = dataset.folio ? Number(dataset.folio) : null;
      if (dataset.left !== undefined) void this.readLeft();
    },
    get noSizes() { return this.sizes.length === 0; },
    get busyOrTroubled() { return this.files.length > 0; },
    get failed() { return this.files.filter((file) => file.trouble).length; },
    get goOnAddress() { return !this.busy && !this.going && this.taken.length ? this.nextAddress() : ""; },
    get canDismiss() { return !this.busy && this.taken.length === 0; },
    get summary() {
      const count = this.files.filter((file) => !file.done).length;
      const arrived = `${this.taken.length} of ${count} arrived`;
      if (this.busy) return arrived;
      if (this.going) return "Opening …";
      return this.failed ? `${arrived}, ${this.failed} not taken.` : arrived;
    },
    get wholeStyle() {
      const weigh = (/** @type {(file: Arriving) => number} */ part) => this.files.reduce((sum, file) => sum + part(file), 0);
      return { transform: `scaleX(${Math.min(1, weigh((file) => file.bytes * file.share) / Math.max(1, weigh((file) => file.bytes)))})` };
    },

    dropArea: {
      /** @this {any} @param {DragEvent} event */
      "@dragover.window.prevent"(event) { if (event.dataTransfer?.types.includes("Files")) this.$root.dataset.over = ""; },
      /** @this {any} @param {DragEvent} event */
      "@dragleave.window"(event) { if (!event.relatedTarget) delete this.$root.dataset.over; },
      /** @this {any} @param {DragEvent} event */
      "@drop.window.prevent"(event) {
        delete this.$root.dataset.over;
        void droppedFiles(event.dataTransfer).then((files) => this.receive(files));
      },
      /** @this {any} @param {ClipboardEvent} event */
      "@paste.window"(event) {
        const files = [...(event.clipboardData?.files ?? [])];
        if (files.length) {
          event.preventDefault();
          void this.receive(files.map((file) => ({ file: named(file), group: "" })));
          return;
        }
        const text = event.clipboardData?.getData("text/plain").trim() ?? "";
        if (!/** @type {Element} */ (event.target).closest("input, textarea, [contenteditable]") && /^https?:\/\/\S+$/i.test(text)) {
          this.typedAddress = text;
          this.asksAddress = true;
        }
      },
    },
    chooser: {
      /** @this {any} @param {Event} event */
      "@change"(event) {
        const input = /** @type {HTMLInputElement} */ (event.target);
        void this.receive(chosenFiles(input.files));
        input.value = "";
      },
    },
    addressOpener: {
      /** @this {any} */
      "@click"() {
        this.asksAddress = !this.asksAddress;
        this.$nextTick(() => document.getElementById("web-address")?.focus());
      },
      /** @this {any} */
      ":aria-expanded"() { return this.asksAddress; },
    },
    addressInput: {
      /** @this {any} */
      ":value"() { return this.typedAddress; },
      /** @this {any} @param {Event} event */
      "@input"(event) { this.typedAddress = /** @type {HTMLInputElement} */ (event.target).value; },
    },
    addressForm: {
      /** @this {any} */
      "@submit.prevent"() {
        const address = this.typedAddress.trim();
        if (!address) return;
        this.asksAddress = false;
        this.typedAddress = "";
        void this.begin([arriving({ name: address, address })]);
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

    /** @param {import("./dropped.js").Grouped[]} files */
    receive(files) {
      return this.begin(files.map(({ file, group }) => arriving({ name: file.name, group, bytes: file.size, file })));
    },

    /** @param {Arriving[]} files */
    async begin(files) {
      if (files.length === 0) return;
      if (this.busy) return this.add(files);
      // a size that was typed but not added yet counts too; one that is not understood is said first
      if (!(await this.addSize())) return;
      this.files = [];
      this.taken = [];
      this.add(files);
      this.busy = true;
      this.stopped = false;
      const next = () => this.files.find((file) => file.state === "waiting");
      const goOn = async () => {
        for (let file = next(); file && !this.stopped; file = next()) await this.take(file);
      };
      while (next() && !this.stopped && !this.taken.length) await this.take(/** @type {Arriving} */ (next()));
      await Promise.all(Array.from({ length: AT_ONCE }, goOn));
      this.busy = false;
      const emptied = this.files.filter((file) => file.upload && file.entry === null && file.done);
      // before anybody leaves: a page that is opened next would say that they are still to be taken
      if (emptied.length) await sending().then(({ dropUpload }) => Promise.all(emptied.map((file) => dropUpload(file.upload))));
      const quiet = this.files.every((file) => !file.trouble && !file.notes);
      if (this.taken.length && quiet && !this.stopped) {
        this.going = true;
        location.assign(this.nextAddress());
      }
    },

    /** @param {Arriving[]} files */
    add(files) {
      for (const file of files) {
        file.number = this.files.length;
        this.files.push(file);
      }
    },

    stop() {
      this.stopped = true;
      for (const file of this.files) {
        stops.get(file.number)?.();
        if (file.state === "waiting") file.state = "not sent";
      }
    },

    /** @param {Event} event */
    stopOne(event) {
      const file = this.files[Number(/** @type {HTMLElement} */ (event.currentTarget).dataset.number)];
      if (!file) return;
      stops.get(file.number)?.();
      if (file.state === "waiting") file.state = "not sent";
    },

    /** @param {Event} event */
    takeLarger(event) {
      const file = this.files[Number(/** @type {HTMLElement} */ (event.currentTarget).dataset.number)];
      if (!file) return;
      const address = file.larger;
      file.larger = "";
      const [first] = this.taken;
      if (first) this.folio = first.folio_id;
      void this.begin([arriving({ name: address, address })]);
    },

    dismiss() { this.files = []; },

    nextAddress() {
      const [first] = this.taken;
      if (!first) return "";
      const one = this.taken.length === 1 && this.files.filter((file) => !file.done).length === 1;
      if (one) return `/pictures/${first.picture_id}`;
      return this.sizes.length ? `/folios/${first.folio_id}/proof?order=flagged` : `/folios/${first.folio_id}/gather`;
    },

    /** @param {Arriving} file */
    async take(file) {
      file.state = "being sent";
      const isArchive = /\.(zip|tar)$/i.test(file.name), most = mostBytes()[isArchive ? 1 : 0] ?? Infinity;
      if (file.file && file.bytes > most) {
        file.trouble = `“${file.name}” was not taken. It weighs ${Math.round(file.bytes / 1e6)} MB; ${isArchive ? "archives" : "files"} of up to ${Math.round(most / 1e6)} MB are taken.`;
        file.state = "not taken";
        file.share = 1;
        return;
      }
      const [first] = this.taken;
      const goal = { folio_id: this.folio ?? first?.folio_id ?? null, first: first?.picture_id ?? null, sizes: this.sizes, address: this.address };
      const told = {
        progress: (/** @type {number} */ share) => show(file, share),
        waits: () => { file.state = "the connection broke, trying again"; file.waiting = true; },
        begun: (/** @type {() => void} */ stop) => { stops.set(file.number, stop); file.canStop = true; },
      };
      if (!file.file) show(file, 1);
      const name = { name: file.name, group: file.group, number: file.number, sending: crypto.randomUUID() };
      const answer = await this.ask(file, name, goal, told);
      file.sending = file.waiting = false;
      file.canStop = false;
      stops.delete(file.number);
      file.share = 1;
      if (answer.held) return this.unpack(file, answer);
      if (answer.stopped) file.state = "stopped";
      else if (answer.trouble) Object.assign(file, { trouble: answer.trouble, state: "not taken" });
      else if (answer.taken) this.hasTaken(file, answer.taken);
    },

    /** @param {Arriving} file @param {import("./sending.js").Named} name @param {import("./sending.js").Goal} goal @param {import("./sending.js").Told} told */
    async ask(file, name, goal, told) {
      const { sendFile, takeAddress, takeUpload } = await sending();
      if (file.address) return takeAddress(file.address, goal, told);
      if (file.entry !== null) return takeUpload(file.upload, name, goal, told, file.entry);
      if (file.file) return sendFile(file.file, name, goal, told);
      return takeUpload(file.upload, name, goal, told);
    },

    /** The files of an archive take their places in the list. @param {Arriving} file @param {import("./sending.js").Answer} answer */
    unpack(file, { held, upload }) {
      if (!held) return;
      file.upload = upload ?? file.upload;
      file.done = true;
      file.state = `${held.entries.length} files in it`;
      file.notes = held.notes.join(" ");
      file.trouble = held.refused.join(" ");
      if (!held.entries.length && !file.trouble) file.trouble = `“${file.name}” was not taken. It holds no files.`;
      this.add(held.entries.map((one) => arriving({ name: one.name, group: file.group, bytes: one.byte_count, upload: file.upload, entry: one.number })));
    },

    /** @param {Arriving} file @param {Taken} taken */
    hasTaken(file, taken) {
      this.taken.push(taken);
      file.name = taken.file_name;
      file.image = `/pictures/${taken.picture_id}/preview?w=240&h=240`;
      file.notes = taken.notes.join(" ");
      file.state = "taken";
      if (taken.larger) {
        file.larger = taken.larger;
        file.largerWords = `Bring in the larger one (${taken.larger_size})`;
        file.notes = `${file.notes} It is a small copy; a larger one lies there too.`.trim();
      }
    },

    /** What was begun before this page was loaded. */
    async readLeft() {
      const answer = await fetch("/uploads", { headers: { Accept: "application/json" } }).catch(() => null);
      if (!answer?.ok) return;
      /** @type {{id: string, file_name: string, byte_count: number, arrived: number}[]} */ const found = await answer.json();
      const megabytes = (/** @type {number} */ bytes) => (bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0);
      this.left = found.map((one) => ({
        id: one.id,
        words: one.arrived < one.byte_count
          ? `“${one.file_name}”: ${megabytes(one.arrived)} of ${megabytes(one.byte_count)} MB are here. Choose the same file again, and it goes on there.`
          : `“${one.file_name}” is here, and was not taken yet.`,
        whole: one.arrived >= one.byte_count, name: one.file_name, bytes: one.byte_count,
      }));
    },
    /** @param {Event} event */
    takeLeft(event) {
      const id = /** @type {HTMLElement} */ (event.currentTarget).dataset.id;
      const one = /** @type {any} */ (this.left.find((left) => left.id === id));
      this.left = this.left.filter((left) => left.id !== id);
      if (one) void this.begin([arriving({ name: one.name, bytes: one.bytes, upload: `/uploads/${one.id}` })]);
    },
    /** @param {Event} event */
    dropLeft(event) {
      const id = /** @type {HTMLElement} */ (event.currentTarget).dataset.id;
      this.left = this.left.filter((left) => left.id !== id);
      void sending().then(({ dropUpload }) => dropUpload(`/uploads/${id}`));
    },
    get hasLeft() { return this.left.length > 0 && this.files.length === 0 && Boolean(csrf()); },
  }));
}

/** The most of a file and of an archive, as whoever runs the product has set it. */
const mostBytes = () => (document.querySelector("meta[name=limits]")?.getAttribute("content") ?? "").split(" ").map(Number);

/** @param {Partial<Arriving>} known @returns {Arriving} */
function arriving(known) {
  return {
    number: 0, name: "", group: "", bytes: 1, share: 0, state: "waiting", sending: false, waiting: false, progressStyle: {}, trouble: "", notes: "",
    image: "", larger: "", largerWords: "", file: null, upload: "", entry: null, address: "", canStop: false, stopWords: `Stop ${known.name}`, done: false, ...known,
  };
}

/** @param {Arriving} file @param {number} share */
function show(file, share) {
  file.share = share;
  file.progressStyle = { transform: `scaleX(${share})` };
  file.state = share < 1 ? `${Math.round(100 * share)} %` : "being read";
  file.sending = share < 1;
  file.waiting = share >= 1;
}

/** A pasted picture has no name of its own. @param {File} file */
function named(file) {
  if (file.name && file.name !== "image.png") return file;
  const moment = new Date().toISOString().slice(0, 16).replace("T", " ").replace(":", ".");
  return new File([file], `pasted ${moment}.${file.type.split("/")[1] ?? "png"}`, { type: file.type });
}
