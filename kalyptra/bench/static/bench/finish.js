// The sheet of Finish: what its fields do not do themselves.
import { bare } from "./document.js";
import { work } from "./following.js";
import { keyedAt } from "./keys.js";
import { bring } from "./marks.js";
import { pointing } from "./pull.js";
import { isSteady, lasts } from "./speed.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const finish = () => shot().setup.finish;
const put = (/** @type {string} */ path, /** @type {string | null} */ value) => void shot().commit({ do: "put", path, value });

/** @type {Record<string, number>} */
const PLAIN = { saturation: 1, exposure: 0, contrast: 1, gamma: 1, warmth: 0, tint_strength: 0 };

// Which colours a part of the finish changes, in words.
export function changesIn(/** @type {Record<string, any>} */ part) {
  const changed = Object.keys(PLAIN).filter((name) => part[name]?.keys.some((/** @type {{ value: number }} */ key) => key.value !== PLAIN[name]));
  return changed.map((name) => name.replace("_strength", "")).join(", ") || "as it is";
}

// What the finish does, for the rail.
export function finishWords(/** @type {Api["Setup"]["finish"]} */ all, /** @type {number} */ frame) {
  const strength = keyedAt(bare(all.strength), frame, "strength");
  const parts = [
    strength < 1 && `${Math.round(Number(strength) * 100)} %`,
    all.stretch && "a stretch",
    all.grain.strength.keys.some((key) => key.value > 0) && "grain",
    changesIn(all.outside) !== "as it is" && "colours",
    all.flat.strength.keys.some((key) => key.value > 0) && "flat colour",
    changesIn(all.whole) !== "as it is" && "whole picture",
  ];
  return parts.filter(Boolean).join(", ") || "as the lens left it";
}

// The subjects to choose from, and the colour fields, of one part of the finish.
/** @param {() => { subject?: string | null }} part @param {() => string} colour */
const partOf = (part, colour) => ({
  get subject() {
    return part().subject ?? "";
  },
  get subjects() {
    return shot().setup.subjects.map((one) => ({ id: one.id, name: one.name, chosen: one.id === part().subject }));
  },
  get colour() {
    return colour();
  },
  choose(/** @type {Given} */ event) {
    put(event.target.dataset.path, event.target.value || null);
  },
  colourTo(/** @type {Given} */ event) {
    put(event.target.dataset.path, event.target.value);
  },
});

export const finishParts = {
  stretch: () => ({
    get on() {
      return Boolean(finish().stretch);
    },
    flip() {
      const { first, last } = shot().setup.footage;
      shot().commit(this.on ? { do: "limit-stretch" } : { do: "limit-stretch", first, last });
    },
    here(/** @type {Given} */ event) {
      const stretch = finish().stretch;
      if (!stretch) return;
      const ends = { first: stretch.first, last: stretch.last, [event.currentTarget.dataset.end]: viewer().frame };
      shot().commit({ do: "limit-stretch", ...ends });
    },
    get words() {
      const stretch = finish().stretch;
      return stretch ? `Outside of ${stretch.first} to ${stretch.last} the source comes through untouched.` : "The result is seen in all frames.";
    },
  }),

  grain: () => ({
    first: 0,
    last: 0,
    init() {
      ({ first: this.first, last: this.last } = bare(shot().setup.footage));
    },
    get measured() {
      return Boolean(finish().grain.measured);
    },
    get busy() {
      return Boolean(work().now);
    },
    get words() {
      const grain = finish().grain.measured;
      if (!grain) return "The lens smooths grain away where it blurs. Measured once, it is given back.";
      const middles = grain.channels.map((tones) => tones[Math.floor(tones.length / 2)].deviation);
      const strength = Math.hypot(...middles) / Math.sqrt(3);
      return `${strength.toFixed(1)} of 255 codes in middle tones, from frames ${grain.first} to ${grain.last}.`;
    },
    get measureWords() {
      return this.measured ? "Measure anew" : "Measure and give back";
    },
    setFirst(/** @type {Given} */ event) {
      this.first = this.within(event.target.value, this.first);
    },
    setLast(/** @type {Given} */ event) {
      this.last = this.within(event.target.value, this.last);
    },
    within(/** @type {string} */ typed, /** @type {number} */ before) {
      const value = Math.round(Number(typed));
      return Number.isFinite(value) ? Math.min(shot().end, Math.max(0, value)) : before;
    },
    measure() {
      work().order({ what: "grain", start: Math.min(this.first, this.last), end: Math.max(this.first, this.last) });
    },
  }),

  treatment: () => ({
    ...partOf(
      () => finish().outside,
      () => finish().outside.tint,
    ),
    get byBlur() {
      return finish().outside.driven_by === "blur";
    },
    get byDistance() {
      return finish().outside.driven_by === "distance";
    },
    get byMatte() {
      return ["inside", "outside"].includes(finish().outside.driven_by);
    },
  }),

  flatColour: () =>
    partOf(
      () => finish().flat,
      () => finish().flat.colour,
    ),

  colourTable: () => ({
    get on() {
      return Boolean(finish().whole.table);
    },
    get words() {
      const { table } = finish().whole;
      return table
        ? `Colours are looked up in ${table.title || "a table"}.`
        : "A colour table may follow: one- or three-dimensional, over the codes of the picture.";
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      try {
        await shot().settled();
        await bring(file, "table-file", "luma");
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    drop() {
      shot().commit({ do: "drop-table" });
    },
  }),

  framing: () => ({
    get aspect() {
      return finish().framing.aspect;
    },
    chooseAspect(/** @type {Given} */ event) {
      put("finish.framing.aspect", event.target.value);
    },
    get place() {
      const { place } = finish().framing;
      const at = place ? keyedAt(bare(place), viewer().frame, "place") : null;
      return Array.isArray(at) ? `${Math.round(at[0])}, ${Math.round(at[1])} px` : "";
    },
    get pointWords() {
      return pointing().what === "frame" ? "Press on the picture" : "Point at its middle";
    },
    get slowWords() {
      return pointing().what === "move" ? "Press where it shall end" : "Move slowly to a place";
    },
    point() {
      pointing().what = pointing().what === "frame" ? "pull" : "frame";
    },
    slow() {
      pointing().what = pointing().what === "move" ? "pull" : "move";
    },
    middle() {
      shot().commit({ do: "put-place", path: "finish.framing.place" });
    },
  }),

  speed: () => ({
    get words() {
      const [seconds, before] = lasts();
      return seconds === before
        ? `The shot takes ${before.toFixed(2)} s, as in the clip.`
        : `The shot takes ${seconds.toFixed(2)} s; in the clip it is ${before.toFixed(2)} s.`;
    },
    get soundWords() {
      if (!shot().clip.sound) return "The clip has no sound.";
      if (!finish().speed.sound) return "The sound is left out where the speed is not 100 %.";
      return isSteady() ? "The sound goes along, in its pitch." : "The sound is left out: it goes along only at a speed that stays.";
    },
  }),

  clearFinish: () => ({
    clear() {
      shot().commit({ do: "clear-finish" });
    },
  }),
};
