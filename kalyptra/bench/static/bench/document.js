// The setup on this page: what is saved of it, the commands that are on their way, and its numbers over time.
// All rules are the server's; here values are read and shown, and commands sent.
import { askJson } from "../design/scripts/server.js";
import { bare, copy, countOf } from "./bare.js";
import { read, shown } from "./preview.js";
import { Saving } from "./saving.js";
import { toast } from "./toasts.js";

export { bare, copy, countOf };

// The outlines of a subject whose matte is drawn.
export const outlinesOf = (/** @type {Api["Subject"] | undefined} */ subject) => (subject?.matte.kind === "outline" ? subject.matte.outlines : []);

export const OWN_CARD = "card"; // the card in space with the shot's own picture
const READ_EVERY = 200; // ms at least between two readings of the numbers in a drag,
const READ_SHARE = 0.2; // and how much of the time they may take, which the pictures need as well
const READ_WHOLE = 2000; // frames up to which all numbers are read at once
/** @param {unknown} a @param {unknown} b */
const same = (a, b) => a === b || JSON.stringify(a) === JSON.stringify(b);
/** @returns {Command[]} */
const listed = (/** @type {Command | Command[]} */ commands) => (Array.isArray(commands) ? commands : [commands]);

// A place as the page's fields name it: of the chosen subject (@), outline (@line), source (#) or card in space (%).
export function fullPath(/** @type {string} */ path, chosen = window.Alpine.store("shot")) {
  const [first, ...rest] = path.split(".");
  /** @type {Record<string, string>} */
  const begins = {
    "@": `subjects.${chosen.chosen}`,
    "@line": `subjects.${chosen.chosen}.matte.outlines.${chosen.line}`,
    "#": `distance.sources.${chosen.source}`,
    "%": chosen.card === OWN_CARD ? "space.card" : `space.cards.${chosen.card}`,
  };
  return [begins[first] ?? first, ...rest].join(".");
}

/** @param {any} setup @param {string} path */
export const readPath = (setup, path) => read(setup, fullPath(path));

/** @param {Keyed} keyed @param {number} frame */
export const keyIndex = (keyed, frame) => keyed.keys.findIndex((key) => key.frame === frame);

// Set a value at a frame; keyed or not is the server's to know, and the page's to show.
/** @param {string} path @param {number} frame @param {any} value */
export const setting = (path, frame, value) => ({
  do: "set-at",
  path: fullPath(path),
  frame,
  value,
});

export class OpenShot extends Saving {
  /** @param {ShotState} state */
  constructor(state) {
    super(state);
    this.clip = state.clip;
    this.otherShots = state.others; // of the project
    this.setup = state.setup;
    /** @type {Api["Readings"] | null} */
    this.reading = null;
    this.stage = "subjects";
    this.chosen = state.setup.subjects[0]?.id ?? null;
    this.line = outlinesOf(state.setup.subjects[0])[0]?.id ?? ""; // the chosen outline
    /** @type {number[]} */
    this.points = []; // ids of the points chosen in it
    this.source = state.setup.distance.sources[0].id; // the chosen source of distance
    this.cardWanted = OWN_CARD;
    /** @type {Command[] | null} */
    this.gesture = null; // the commands of what is being dragged
    this.readingWanted = false;
    /** @type {Api["Setup"] | null} */
    this.working = null; // what a gesture makes of the setup, where no number of the page depends on it
    this.readingBusy = false;
    /** @type {{ first?: number; last?: number }} */
    this.stretch = {}; // what of a very long shot the numbers are read of, frame by frame
    this.renderWords = "not yet";
    /** @type {number | undefined} */
    this.spanning = undefined; // waits until the chart stays where it is
  }

  // Of a still: it may be held longer than the shot does.
  get isStill() {
    return this.clip.kind === "still";
  }

  // The last frame that there is to look at.
  get end() {
    return this.isStill ? this.saved.setup.footage.last : this.clip.frames - 1;
  }

  // The chosen card in space; where it is gone, the one with the shot's own picture.
  get card() {
    return this.setup.space?.cards.some(({ id }) => id === this.cardWanted) ? this.cardWanted : OWN_CARD;
  }

  set card(id) {
    this.cardWanted = id;
  }

  get drafting() {
    return this.gesture !== null;
  }

  /** @param {string | null} [id] */
  subject(id) {
    return this.setup.subjects.find((one) => one.id === (id ?? this.chosen));
  }

  outline() {
    return outlinesOf(this.subject()).find((one) => one.id === this.line);
  }

  // All that was changed is saved.
  async settled() {
    while (this.unsaved || this.drafting) await new Promise((resolve) => setTimeout(resolve, 20));
  }

  // The numbers are those of what is shown.
  async counted() {
    while (this.readingBusy) await new Promise((resolve) => setTimeout(resolve, 20));
  }

  get(/** @type {string} */ path) {
    return readPath(this.setup, path);
  }

  // The numbers at a frame; the nearest read one of a very long shot.
  at(/** @type {number} */ frame) {
    if (!this.reading) return null;
    const { first, step, lens, subjects } = this.reading;
    const index = Math.max(0, Math.min(lens.length - 1, Math.round((frame - first) / step)));
    /** @type {Record<string, Api["SubjectReading"]>} */
    const found = {};
    for (const id of Object.keys(subjects)) found[id] = subjects[id][index];
    return { lens: lens[index], subjects: found };
  }

  // While something is dragged: show it, save nothing.
  draft(/** @type {Command | Command[]} */ commands) {
    this.gesture = listed(commands);
    this.setup = shown(this.before, this.gesture);
    this.read();
    window.Alpine.store("viewer").draft();
  }

  // The same for what is dragged on the picture or in a drawing: the page's fields need not be gone through.
  sketch(/** @type {Command | Command[]} */ commands, numbers = false) {
    this.gesture = listed(commands);
    this.working = shown(this.before, this.gesture);
    window.Alpine.store("viewer").draft();
    if (numbers && !this.readingBusy) this.read();
  }

  // What of the page is not saved, as the server takes it: a revision, and commands on it.
  parts(/** @type {object} */ more) {
    return { base: this.saved.revision, commands: [...this.waiting, ...(bare(this.gesture) ?? [])], ...more };
  }

  // The setup before what is being dragged.
  get before() {
    return shown(bare(this.saved).setup, this.waiting);
  }

  get seen() {
    return this.working ?? this.setup;
  }

  // A whole gesture is one change, and one step of undo.
  /** @param {Command | Command[] | null} [commands] what is being dragged, if nothing is given */
  async commit(commands) {
    const done = listed(bare(commands ?? this.gesture) ?? []);
    const setup = shown(this.before, done);
    this.working = this.gesture = null;
    this.setup = setup;
    if (done.length) await this.give(done);
  }

  // Take what the server has; what is on its way stays on top of it.
  adopt(/** @type {Api["ShotNow"]} */ now) {
    super.adopt(now);
    if (this.drafting) return;
    const { setup } = now;
    this.setup = this.before;
    this.working = null;
    if (this.unsaved) return;
    if (!this.subject()) this.chosen = setup.subjects[0]?.id ?? null;
    if (!this.outline()) {
      this.line = outlinesOf(this.subject())[0]?.id ?? "";
      this.points = [];
    }
    if (!setup.distance.sources.some((one) => one.id === this.source)) this.source = setup.distance.sources[setup.distance.sources.length - 1].id;
    window.Alpine.store("lines").key = "";
    this.read();
    window.Alpine.store("viewer").changed();
  }

  // A very long shot is read every n-th frame; where the chart looks closely, frame by frame.
  /** @param {number | null} first @param {number | null} last */
  span(first, last) {
    if (this.end < READ_WHOLE) return;
    const next = first !== null && last !== null && last - first < READ_WHOLE ? { first, last } : {};
    if (same(next, this.stretch)) return;
    this.stretch = next;
    clearTimeout(this.spanning);
    this.spanning = setTimeout(() => this.read(), 150);
  }

  // The numbers of the working copy; only the newest question matters.
  async read() {
    this.readingWanted = true;
    if (this.readingBusy) return;
    this.readingBusy = true;
    while (this.readingWanted) {
      this.readingWanted = false;
      const started = performance.now();
      try {
        const mattes = !this.drafting || !this.reading;
        const found = await askJson("POST", this.url("readings"), this.parts({ mattes, ...this.stretch }), undefined, true);
        this.reading = mattes ? found : { ...bare(this.reading), ...found };
      } catch (/** @type {any} */ refusal) {
        if (!this.drafting) toast(refusal.message, true);
      }
      // In a drag the picture goes first: the numbers follow a little behind.
      const now = performance.now();
      const next = now + Math.max(READ_EVERY, (now - started) * (1 / READ_SHARE - 1));
      while (this.drafting && performance.now() < next) await new Promise((resolve) => setTimeout(resolve, 50));
    }
    this.readingBusy = false;
  }
}
