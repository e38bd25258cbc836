// A distance from a size: a line that is laid along something of known length on the picture.
import { bare } from "./bare.js";
import { chosenSource, nameOf } from "./sources.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const sizing = () => window.Alpine.store("sizing");

export function createSizing() {
  return {
    on: false,
    length: 0.297, // metres
    target: "",
    /** @type {Pair} */
    start: [0, 0], // px of the source
    /** @type {Pair} */
    end: [0, 0],
    lay() {
      const { width, height } = shot().clip;
      this.start = [width * 0.5, height * 0.4];
      this.end = [width * 0.5, height * 0.6];
      this.on = true;
    },
    // What the ends of the line say of the distance that they are for.
    get command() {
      const at = (/** @type {Pair} */ [x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10];
      return { do: "put-by-size", path: this.target, frame: viewer().frame, start: at(this.start), end: at(this.end), length: this.length };
    },
    /** @returns {Handle[]} */
    get handles() {
      return [
        { id: "size-start", at: this.start, words: "One end of the thing", move: (to) => ((this.start = to), this.command) },
        { id: "size-end", at: this.end, words: "The other end of the thing", move: (to) => ((this.end = to), this.command) },
      ];
    },
  };
}

// What can be told its distance: the focus, subjects, and of the chosen source what has one.
function targets() {
  const found = [{ path: "focus.distance", name: "the focus" }];
  for (const { id, name, acts } of bare(shot().setup.subjects)) if (acts !== "region") found.push({ path: `subjects.${id}.distance`, name });
  const source = chosenSource();
  if (!source) return found;
  const path = `distance.sources.${source.id}`;
  if (source.kind === "backdrop" || source.kind === "band") found.push({ path: `${path}.distance`, name: nameOf(source) });
  (source.pins ?? []).forEach((_, i) => found.push({ path: `${path}.pins.${i}.distance`, name: `${nameOf(source)}, pin ${i + 1}` }));
  (source.stops ?? []).forEach((_, i) => found.push({ path: `${path}.stops.${i}.distance`, name: `${nameOf(source)}, stop ${i + 1}` }));
  return found;
}

export const sizeParts = {
  bySize: () => ({
    get targets() {
      return targets();
    },
    get target() {
      const found = targets();
      return found.some(({ path }) => path === sizing().target) ? sizing().target : found[0].path;
    },
    aim(/** @type {Given} */ event) {
      sizing().target = event.target.value;
    },
    get length() {
      return sizing().length;
    },
    choose(/** @type {Given} */ event) {
      if (event.target.value) sizing().length = Number(event.target.value);
    },
    put(/** @type {Given} */ event) {
      const value = Number(event.target.value.replace(",", "."));
      if (value > 0) sizing().length = value;
      event.target.value = sizing().length;
      if (sizing().on) shot().commit(sizing().command);
    },
    get on() {
      return sizing().on;
    },
    get words() {
      return sizing().on ? "Put the line away" : "Lay a line on it";
    },
    toggle() {
      sizing().target = this.target;
      if (sizing().on) sizing().on = false;
      else sizing().lay();
    },
    get told() {
      const at = shot().at(viewer().frame);
      if (!sizing().on || !at) return "";
      const subject = sizing().target.startsWith("subjects.") ? at.subjects[sizing().target.split(".")[1]]?.distance : null;
      const focus = sizing().target === "focus.distance" ? at.lens.focus : null;
      const away = subject ?? focus;
      return away ? `That is ${metres(away)} away.` : "";
    },
  }),
};
