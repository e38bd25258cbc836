// The setup on this page: the working copy, what is saved of it, its revisions, and its numbers over time.
// All rules are the server's; here values are only read, put and sent.
import { askJson } from "../design/scripts/server.js";
import { bare, copy } from "./bare.js";
import { createSaving } from "./saving.js";
import { toast } from "./toasts.js";

export { bare, copy };

// What was found over frames lies beside the setup, which names it and says how much there is; a list that is empty or new is
// the list itself.
export const countOf = (found) => (Array.isArray(found) ? found.length : (found?.count ?? 0));

const READ_EVERY = 200; // ms between two readings of the numbers in a drag
const READ_WHOLE = 2000; // frames up to which all numbers are read at once
const same = (a, b) => a === b || JSON.stringify(a) === JSON.stringify(b);

function walk(setup, path, subjectId) {
  const parts = path.split(".");
  let at = setup;
  if (parts[0] === "#") {
    at = setup.distance.sources.find((one) => one.id === window.Alpine.store("shot").source);
    parts.shift();
  }
  if (parts[0] === "@" || parts[0] === "@line") {
    at = setup.subjects.find((one) => one.id === subjectId);
    if (parts[0] === "@line") at = at?.matte.outlines?.find((one) => one.id === window.Alpine.store("shot").line);
    parts.shift();
  }
  const last = parts.pop();
  for (const part of parts) at = at?.[part];
  return [at, last];
}

export function readPath(setup, path, subjectId) {
  const [at, last] = walk(setup, path, subjectId);
  return at?.[last];
}

export function putPath(setup, path, subjectId, value) {
  const [at, last] = walk(setup, path, subjectId);
  at[last] = value;
}

export const keyIndex = (keyed, frame) => keyed.keys.findIndex((key) => key.frame === frame);

// A value that holds still keeps its one key; one that moves gets a key at this frame.
export function putKeyed(keyed, frame, value) {
  if (keyed.keys.length === 1) {
    keyed.keys[0].value = value;
    return;
  }
  const found = keyIndex(keyed, frame);
  if (found >= 0) keyed.keys[found].value = value;
  else addKey(keyed, frame, value);
}

export function addKey(keyed, frame, value) {
  keyed.keys.push({ frame, value, ease: "eased" });
  keyed.keys.sort((a, b) => a.frame - b.frame);
}

export function createShot(state) {
  const shot = {
    id: state.id,
    clip: state.clip,
    setup: state.setup,
    reading: null,
    stage: "subjects",
    chosen: state.setup.subjects[0]?.id ?? null,
    line: state.setup.subjects[0]?.matte.outlines?.[0].id ?? null, // the chosen outline
    points: [], // ids of the points chosen in it
    source: state.setup.distance.sources[0].id, // the chosen source of distance
    drafting: false,
    readingWanted: false,
    working: null, // what a gesture makes of the setup, where no number of the page depends on it
    readingBusy: false,
    stretch: {}, // what of a very long shot the numbers are read of, frame by frame
    renderWords: "not yet",

    url(rest) {
      return `/api/shots/${this.id}/${rest}`;
    },
    subject(id) {
      return this.setup.subjects.find((one) => one.id === (id ?? this.chosen));
    },
    outline() {
      return this.subject()?.matte.outlines?.find((one) => one.id === this.line);
    },
    // All that was changed is saved.
    async settled() {
      while (this.unsaved || this.drafting) await new Promise((resolve) => setTimeout(resolve, 20));
    },
    get(path) {
      return readPath(this.setup, path, this.chosen);
    },
    // The numbers at a frame; the nearest read one of a very long shot.
    at(frame) {
      if (!this.reading) return null;
      const { first, step, lens, subjects } = this.reading;
      const index = Math.max(0, Math.min(lens.length - 1, Math.round((frame - first) / step)));
      const found = {};
      for (const id of Object.keys(subjects)) found[id] = subjects[id][index];
      return { lens: lens[index], subjects: found };
    },

    // While something is dragged: show it, save nothing.
    draft(change) {
      const next = copy(this.setup);
      change(next);
      this.setup = next;
      this.drafting = true;
      this.read();
      window.Alpine.store("viewer").draft();
    },
    // The same for what is dragged on the picture or in a drawing: the page's fields need not be gone through.
    sketch(change, numbers = false) {
      const next = copy(this.setup);
      change(next);
      this.working = next;
      this.drafting = true;
      window.Alpine.store("viewer").draft();
      if (numbers && !this.readingBusy) this.read();
    },
    // What of the working copy is not saved, as the server takes it: parts of the setup that are others.
    parts(more) {
      const [seen, saved] = [bare(this.seen), bare(this.saved)];
      const changed = {};
      for (const name of Object.keys(seen)) if (name !== "version" && !same(seen[name], saved.setup[name])) changed[name] = seen[name];
      return { base: saved.revision, changed, ...more };
    },
    get seen() {
      return this.working ?? this.setup;
    },
    // A whole gesture is one change, and one step of undo.
    async commit(change) {
      const next = copy(this.seen);
      if (change) change(next);
      this.working = null;
      this.setup = next;
      this.drafting = false;
      await this.changed();
    },
    adopt(state, keepWork = false) {
      this.saved = state;
      if (keepWork) return;
      this.setup = state.setup;
      this.working = null;
      this.drafting = false;
      if (!this.subject()) this.chosen = state.setup.subjects[0]?.id ?? null;
      if (!this.outline()) {
        this.line = this.subject()?.matte.outlines?.[0].id ?? null;
        this.points = [];
      }
      if (!state.setup.distance.sources.some((one) => one.id === this.source)) this.source = state.setup.distance.sources.at(-1).id;
      window.Alpine.store("lines").key = "";
      this.read();
      window.Alpine.store("viewer").changed();
    },
    // A very long shot is read every n-th frame; where the chart looks closely, frame by frame.
    span(first, last) {
      const { frames } = this.clip;
      if (frames <= READ_WHOLE) return;
      const next = first !== null && last - first < READ_WHOLE ? { first, last } : {};
      if (same(next, this.stretch)) return;
      this.stretch = next;
      clearTimeout(this.spanning);
      this.spanning = setTimeout(() => this.read(), 150);
    },
    // The numbers of the working copy; only the newest question matters.
    async read() {
      this.readingWanted = true;
      if (this.readingBusy) return;
      this.readingBusy = true;
      while (this.readingWanted) {
        this.readingWanted = false;
        try {
          const mattes = !this.drafting || !this.reading;
          const found = await askJson("POST", this.url("readings"), this.parts({ mattes, ...this.stretch }), undefined, true);
          this.reading = mattes ? found : { ...bare(this.reading), ...found };
        } catch (refusal) {
          if (!this.drafting) toast(refusal.message, true);
        }
        // In a drag the picture goes first: the numbers follow a little behind.
        if (this.drafting) await new Promise((resolve) => setTimeout(resolve, READ_EVERY));
      }
      this.readingBusy = false;
    },
  };
  // Spread would read the getters once and for all.
  return Object.defineProperties(shot, Object.getOwnPropertyDescriptors(createSaving(state)));
}
