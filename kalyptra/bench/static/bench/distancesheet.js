// The sheet of the Distance stage: the sources in their order, the chosen one, recipes, and what is amiss.
import { bare, countOf, fullPath, keyIndex } from "./document.js";
import { ordered } from "./drag.js";
import { putting } from "./fields.js";
import { work } from "./following.js";
import { newId } from "./lines.js";
import { bring } from "./marks.js";
import { addingStop, chosenSource, here, KINDS, nameOf, removingStop } from "./sources.js";
import { toast } from "./toasts.js";
import { fromUnit, metres, pixels, shownUnit, toUnit } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const JOINS = { replaces: "replaces", nearer: "the nearer", farther: "the farther" };
const GROUNDS = ["backdrop", "pins", "ground", "corners"]; // what a subject can stand on

// Every keyed value of a source, but its strength.
function keyedOf(/** @type {Source} */ source) {
  /** @type {{ keyed: Keyed; path: string }[]} */
  const out = [];
  /** @param {any} value @param {string} path */
  const walk = (value, path) => {
    if (!value || typeof value !== "object") return;
    if (Array.isArray(value.keys)) out.push({ keyed: value, path });
    else for (const [name, one] of Object.entries(value)) if (name !== "strength") walk(one, `${path}.${name}`);
  };
  walk(source, "");
  return out;
}

export const distanceParts = {
  sources: () => ({
    ...ordered((id, to) => shot().commit({ do: "reorder", path: "distance.sources", id, to })),
    recipe: "",
    channel: "luma",
    get list() {
      return shot().setup.distance.sources.map((one, i) => ({
        id: one.id,
        name: nameOf(one),
        kind: one.name && one.name !== KINDS[one.kind] ? KINDS[one.kind].toLowerCase() : "",
        joins: one.enabled === false ? "off" : i === 0 ? "the first" : JOINS[one.joins ?? "replaces"],
        chosen: one.id === shot().source,
        row: one.id === shot().source ? "bg-hair" : "",
      }));
    },
    select(/** @type {Given} */ event) {
      shot().source = event.currentTarget.dataset.id;
    },
    add(/** @type {Given} */ event) {
      const id = newId();
      shot().commit({ do: "add-source", id, kind: event.currentTarget.dataset.kind, frame: viewer().frame });
      shot().source = id;
    },
    copy() {
      const id = newId();
      shot().commit({ do: "copy-source", source: shot().source, id });
      shot().source = id;
    },
    get chosenName() {
      const source = chosenSource();
      return source ? nameOf(source) : "";
    },
    remove() {
      shot().commit({ do: "remove-source", id: shot().source });
    },
    async useRecipe() {
      const { recipe } = this;
      this.recipe = "";
      if (!recipe) return;
      await shot().commit({ do: "use-recipe", recipe, frame: viewer().frame });
      shot().source = shot().setup.distance.sources.slice(-1)[0].id;
    },
    async readMap(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const source = chosenSource();
      const id = source?.kind === "map" ? source.id : newId();
      try {
        await shot().settled();
        await bring(file, "map-file", this.channel, id);
        if (shot().setup.distance.sources.some((one) => one.id === id)) shot().source = id;
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
  }),

  source: () => ({
    get one() {
      return chosenSource();
    },
    get name() {
      return this.one ? nameOf(this.one) : "";
    },
    rename(/** @type {Given} */ event) {
      const name = event.target.value.trim().slice(0, 60);
      shot().commit({ do: "put", path: fullPath("#.name"), value: name });
    },
    is(/** @type {string} */ kind) {
      return this.one?.kind === kind;
    },
    isRead(/** @type {string} */ reads) {
      return this.one?.reads === reads;
    },
    readAs(/** @type {Given} */ event) {
      shot().commit({ do: "read-map-as", source: shot().source, reads: event.currentTarget.dataset.value });
    },
    get isMetres() {
      return this.is("map") && this.one?.reads === "metres";
    },
    get isEnds() {
      return this.is("map") && this.one?.reads !== "metres" && this.one?.reads !== "blur";
    },
    get isBlur() {
      return this.is("map") && this.one?.reads === "blur";
    },
    // All places and numbers of the source get a key at this frame, or lose it: so that it can move as a whole.
    get keyedHere() {
      const keyed = this.one ? keyedOf(bare(this.one)) : [];
      return keyed.length > 0 && keyed.every(({ keyed: one }) => one.keys.length > 1 && keyIndex(one, viewer().frame) >= 0);
    },
    get keyAllWords() {
      return this.keyedHere ? "Remove its keys here" : "Key all of it here";
    },
    keyAll() {
      const frame = viewer().frame;
      const { one } = this;
      if (!one) return;
      const paths = keyedOf(bare(one)).map(({ path }) => fullPath(`#${path}`));
      if (this.keyedHere) shot().commit(paths.map((path) => ({ do: "drop-keys", path, frames: [frame] })));
      else shot().commit({ do: "key-here", paths, frame });
    },
    get hasThird() {
      return this.is("pins") && this.one?.pins.length === 3;
    },
    get hasStops() {
      return Boolean(this.one?.stops);
    },
    get later() {
      return shot().setup.distance.sources[0]?.id !== shot().source;
    },
    get thirdWords() {
      return this.hasThird ? "Without the third pin" : "A third pin";
    },
    third() {
      shot().commit({ do: "third-pin", source: shot().source, on: !this.hasThird, frame: viewer().frame });
    },
    get stops() {
      const { one } = this;
      return (one?.stops ?? []).map((_, i) => ({
        i,
        name: i + 1,
        at: Math.round(here(/** @type {Source} */ (one), `stops.${i}.at`) * 1000) / 10,
        distance: Number(toUnit(here(/** @type {Source} */ (one), `stops.${i}.distance`), "m").toFixed(3)),
        unit: shownUnit("m"),
        atName: `Stop ${i + 1}, place in per cent`,
        distanceName: `Stop ${i + 1}, distance`,
        removeName: `Remove stop ${i + 1}`,
      }));
    },
    putStop(/** @type {Given} */ event) {
      const { i, what } = event.target.dataset;
      const value = Number(event.target.value.trim().replace(",", "."));
      if (!Number.isFinite(value) || event.target.value.trim() === "") return;
      const path = `#.stops.${i}.${what}`;
      const wanted = what === "at" ? Math.min(1, Math.max(0, value / 100)) : Math.min(100000, Math.max(0.02, fromUnit(value, "m")));
      shot().commit(putting(path, wanted));
    },
    addStop() {
      const { one } = this;
      if (!one) return;
      const stops = one.stops.map((_, i) => here(one, `stops.${i}.at`)).sort((a, b) => a - b);
      let widest = 0;
      stops.forEach((at, i) => {
        if (i && at - stops[i - 1] > stops[widest + 1] - stops[widest]) widest = i - 1;
      });
      const [a, b] = [stops[widest], stops[widest + 1]];
      shot().commit(addingStop((a + b) / 2));
    },
    removeStop(/** @type {Given} */ event) {
      shot().commit(removingStop(Number(event.currentTarget.dataset.i)));
    },
    // Where it holds: everywhere, or within or outside of a subject's matte.
    get regions() {
      const found = [{ value: "", name: "everywhere" }];
      for (const one of shot().setup.subjects)
        found.push({ value: `in:${one.id}`, name: `within ${one.name}` }, { value: `out:${one.id}`, name: `outside ${one.name}` });
      return found;
    },
    get region() {
      const region = this.one?.region;
      return region ? `${region.outside ? "out" : "in"}:${region.subject}` : "";
    },
    putRegion(/** @type {Given} */ event) {
      const [side, subject] = event.target.value.split(":");
      shot().commit({ do: "put-region", source: shot().source, subject: subject ?? null, outside: side === "out" });
    },
    get mapWords() {
      if (!this.is("map")) return "";
      const { title, frames } = /** @type {Source} */ (this.one);
      return `${title || "A map"}, ${countOf(frames) === 1 ? "one picture for all frames" : `${countOf(frames)} frames`}.`;
    },
  }),

  camera: () => ({
    get own() {
      return shot().setup.distance.view_angle != null;
    },
    flip(/** @type {Given} */ event) {
      const { focal_length_mm: focal, sensor_width_mm: sensor } = shot().setup.lens;
      const angle = Number(((2 * Math.atan(sensor / 2 / focal) * 180) / Math.PI).toFixed(2));
      shot().commit({ do: "put", path: "distance.view_angle", value: event.target.checked ? angle : null });
    },
  }),

  // A subject that stands on a ground.
  standing: () => ({
    get grounds() {
      return shot().setup.distance.sources.filter((one) => GROUNDS.includes(one.kind)).map((one) => ({ value: one.id, name: nameOf(one) })); // prettier-ignore
    },
    get on() {
      return shot().subject()?.standing?.on ?? "";
    },
    get any() {
      return this.on !== "";
    },
    get changed() {
      const read = shot().reading?.standing?.[shot().chosen];
      return Boolean(read && (read.changed || read.feet === 0));
    },
    get words() {
      const read = shot().reading?.standing?.[shot().chosen];
      if (!read) return "";
      if (read.feet === 0) return "Where it stands is not known yet.";
      return read.changed ? "Its matte has changed since." : `Its foot is known in ${read.feet} frames.`;
    },
    async choose(/** @type {Given} */ event) {
      const on = event.target.value;
      const id = shot().chosen;
      await shot().commit({ do: "stand-on", subject: id, source: on || null });
      if (on && !countOf(shot().subject(id)?.standing?.feet)) await this.look(id);
    },
    measure() {
      return this.look(shot().chosen);
    },
    async look(/** @type {string} */ subject) {
      const { first, last } = shot().setup.footage;
      await work().order({ what: "feet", subject, start: first, end: last });
    },
  }),

  distances: () => ({
    get rows() {
      const at = shot().at(viewer().frame);
      if (!at) return [];
      const rows = [{ id: "backdrop", name: "Farthest", metres: metres(at.lens.farthest), blur: pixels(at.lens.softness) }];
      for (const one of shot().setup.subjects) {
        const read = at.subjects[one.id];
        if (read) rows.push({ id: one.id, name: one.name, metres: metres(read.distance), blur: pixels(read.blur) });
      }
      return rows;
    },
  }),

  beside: () => ({
    get how() {
      return viewer().beside;
    },
    is(/** @type {string} */ how) {
      return viewer().beside === how;
    },
    put(/** @type {Given} */ event) {
      viewer().put(event.currentTarget.dataset.how);
    },
    get over() {
      return viewer().beside === "over";
    },
    get share() {
      return viewer().share;
    },
    putShare(/** @type {Given} */ event) {
      viewer().share = Number(event.target.value);
    },
    get lines() {
      return viewer().lines;
    },
    flipLines() {
      viewer().lines = !viewer().lines;
    },
  }),
};
