// What the server says of a frame's distances: under the pointer, as lines, from above, and what is amiss.
import { askJson } from "../design/scripts/server.js";
import { bare } from "./bare.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const survey = () => window.Alpine.store("survey");

const STAGES = ["distance", "pull"]; // where it is looked at while something is dragged
const VIEWS = ["distance", "blur"]; // whose legends are of the frame

const PAUSE = 250; // ms between two looks while something is dragged
const REST = 500; // ms of rest before a look whose numbers nobody watches: only its notes are shown

// Numbers of 16 bits as the server packs them.
function unpacked(/** @type {string} */ text) {
  const letters = atob(text);
  // A loop: to go through a string by its letters, as Array's own ways do, takes ten times as long.
  const bytes = new Uint8Array(letters.length);
  for (let i = 0; i < bytes.length; i += 1) bytes[i] = letters.charCodeAt(i);
  return new Uint16Array(bytes.buffer);
}

export function createSurvey() {
  return {
    /** @type {Omit<Api["SurveyState"], "grid"> | null} */
    now: null,
    /** @type {Uint16Array | null} */
    grid: null,
    /** @type {Record<string, [number, number, number][]>} */
    ways: {},
    /** @type {number | null} */
    waysOf: null,
    wanted: false,
    /** @type {Promise<void> | null} */
    looking: null,
    stale: true, // whether the numbers are of something that has changed since
    /** @type {number | undefined} */
    resting: undefined,
    /** @type {unknown[]} */
    looked: [], // what of the setup the last look was at

    get wantedHere() {
      const inSpace = shot().stage === "footage" && shot().setup.space?.enabled;
      return inSpace || STAGES.includes(shot().stage) || VIEWS.includes(viewer().view);
    },
    begin() {
      window.Alpine.effect(() => {
        const { seen, stage, drafting } = shot();
        void [stage, viewer().view];
        // What is dragged does not always change distances; a look when it is let go is soon enough then.
        /** @type {unknown[]} */
        const parts = [viewer().frame, ...[seen.distance, seen.subjects, seen.lens, seen.space].map(bare)];
        // What a card becomes that is dragged by its corners is the server's to say.
        if (seen.space?.enabled) parts.push(bare(shot().gesture));
        if (drafting && !this.wantedHere) return;
        if (drafting && parts.every((part, i) => part === bare(this.looked)[i])) return;
        this.looked = parts;
        this.stale = true;
        // Not within the effect: what looking reads and writes must not start it anew.
        clearTimeout(this.resting);
        if (viewer().playing) return;
        if (this.wantedHere) queueMicrotask(() => this.look());
        else this.resting = setTimeout(() => this.look(), REST);
      });
      window.Alpine.effect(() => {
        if (this.wantedHere && shot().saved.revision !== this.waysOf) queueMicrotask(() => this.findWays(shot().saved.revision));
      });
    },
    /** @returns {[number, number, number][]} frames, columns of the picture (0 to 1) and dioptres */
    wayOf(/** @type {string} */ subject) {
      return bare(this.ways)[subject] ?? [];
    },
    // Only the newest question matters.
    look() {
      this.wanted = true;
      this.looking ??= this.ask().finally(() => (this.looking = null));
      return this.looking;
    },
    async ask() {
      while (this.wanted) {
        this.wanted = this.stale = false;
        try {
          const found = await askJson("POST", shot().url("survey"), shot().parts({ frame: viewer().frame }), undefined, true);
          this.grid = unpacked(found.grid);
          delete found.grid;
          this.now = found;
        } catch {
          // Between two valid setups; the next one shows.
        }
        // While something is dragged, the picture comes first.
        if (shot().drafting) await new Promise((resolve) => setTimeout(resolve, PAUSE));
      }
    },
    // The numbers of what stands now: a step by a key begins at them, and not at those of the change before.
    async settled() {
      if (!this.stale && !this.looking) return;
      clearTimeout(this.resting);
      await this.look();
    },
    async findWays(/** @type {number} */ revision) {
      this.waysOf = revision;
      try {
        this.ways = (await askJson("GET", shot().url(`ways/${revision}.json`))).ways;
      } catch {
        this.ways = {};
      }
    },
    // Metres of what is seen at a place of the picture, px of the source; null where it is not known, infinite too.
    /** @param {number} x @param {number} y */
    at(x, y) {
      if (!this.now || !this.grid) return null;
      const { width, height, most } = this.now;
      const column = Math.max(0, Math.min(width - 1, Math.floor((x / shot().clip.width) * width)));
      const row = Math.max(0, Math.min(height - 1, Math.floor((y / shot().clip.height) * height)));
      const dioptres = (this.grid[row * width + column] / 65535) * most;
      return dioptres > 1e-4 ? 1 / dioptres : Infinity;
    },
    get notes() {
      return this.now?.notes ?? [];
    },
  };
}
