// The form controls of the design system, tied to a place in the setup.
import { bare, fullPath, keyIndex, setting } from "./document.js";
import { dragged } from "./drag.js";
import { FOCUS, nameOfPath, valueAt as valueAtFrame } from "./curve.js";
import { keyedAt } from "./keys.js";
import { keysPath, read } from "./preview.js";
import { chosenSource, here, isFollowed } from "./sources.js";
import { infinite, numberOf, shownUnit, toUnit } from "./words.js";

const shot = () => window.Alpine.store("shot");
const frame = () => window.Alpine.store("viewer").frame;

// How dragging and sliders move through a range: even steps, finer ones near nothing, equal ratios, or equal
// dioptres (near distances get room).
/** @type {Record<string, { to: (v: number) => number; from: (u: number) => number }>} */
const SCALES = {
  even: { to: (v) => v, from: (u) => u },
  fine: { to: (v) => Math.sqrt(v), from: (u) => u * u },
  ratio: { to: (v) => Math.log(v), from: (u) => Math.exp(u) },
  dioptres: { to: (v) => -1 / v, from: (u) => -1 / u },
};
const PIXELS_A_RANGE = 700; // a drag this long crosses the whole range

// The value of a keyed thing at this frame; of a subject that stands on a ground, as the server reads it.
function keyedNow(/** @type {string} */ path) {
  if (path === "@.distance" && shot().subject()?.standing) return shot().at(frame())?.subjects[shot().chosen]?.distance ?? null;
  if (path === FOCUS) return valueAtFrame(FOCUS, frame(), shot().setup);
  const source = path.startsWith("#.") ? chosenSource() : null;
  if (source && isFollowed(source)) return here(source, path.slice(2));
  const keyed = shot().get(path);
  return keyed ? keyedAt(bare(keyed), frame(), nameOfPath(path)) : null;
}

const isKeyed = (/** @type {any} */ value) => Boolean(value?.keys);

function valueAt(/** @type {string} */ path) {
  const value = shot().get(path);
  return isKeyed(value) ? keyedNow(path) : value;
}

// The command that puts a value; a draft and a commit share it.
/** @param {string} path @param {any} value */
export function putting(path, value) {
  if (isKeyed(shot().get(path))) return setting(path, frame(), value);
  return { do: "put", path: fullPath(path), value };
}

function togglingKey(/** @type {string} */ path) {
  const where = fullPath(path);
  const keyed = bare(read(shot().setup, keysPath(shot().setup, where)));
  if (keyed && keyIndex(keyed, frame()) >= 0) return { do: "drop-keys", path: where, frames: [frame()] };
  return { do: "key-here", paths: [where], frame: frame() };
}

const keyWords = (/** @type {Keyed} */ keyed) => {
  if (!keyed) return "";
  if (keyIndex(keyed, frame()) >= 0 && keyed.keys.length > 1) return "Remove key";
  return "Key here";
};
const KEY_HINT = "Holds still with one key. With keys at two frames or more it moves between them.";

export const fields = {
  numberField: () => ({
    path: "",
    low: 0, // what the setup allows
    high: 1,
    from: 0, // what the slider goes over
    to: 1,
    step: 1,
    digits: 1,
    scale: SCALES.even,
    wrong: false,
    /** @type {number | null} */
    held: null,
    init() {
      const { path, low, high, from, to, step, digits, scale } = this.$el.dataset;
      Object.assign(this, { path, low: Number(low), high: Number(high), from: Number(from), to: Number(to) });
      Object.assign(this, { step: Number(step), digits: Number(digits) });
      this.scale = SCALES[scale];
    },
    get value() {
      const found = valueAt(this.path);
      return typeof found === "number" ? found : null;
    },
    get shown() {
      // Read the store's counter so that a refused value is shown as it was again.
      void this.wrong;
      return this.value === null ? "" : this.worded(this.value);
    },
    worded(/** @type {number} */ value) {
      const { unit } = this.$root.dataset;
      return infinite(value, unit) ? "infinity" : this.trim(toUnit(value, unit));
    },
    get unitWords() {
      return shownUnit(this.$root.dataset.unit);
    },
    get spoken() {
      return `${this.shown} ${this.unitWords}`;
    },
    trim(/** @type {number} */ value) {
      const text = value.toFixed(this.digits);
      return text.includes(".") ? text.replace(/0+$/, "").replace(/\.$/, "") : text;
    },
    // Drags and steps stay within what the setup allows. What is typed is the server's to take or to refuse.
    within(/** @type {number} */ value) {
      return Math.min(this.high, Math.max(this.low, value));
    },
    // The value at a place of the scale; at the far end of a scale of distances lies infinity.
    beyond(/** @type {number} */ at) {
      const far = this.$root.dataset.unit === "m" && infinite(this.high, "m") && at >= this.scale.to(this.to);
      return far ? this.high : this.scale.from(at);
    },
    typed(/** @type {Given} */ event) {
      const value = numberOf(event.target.value, this.$root.dataset.unit);
      if (!Number.isFinite(value)) {
        this.wrong = true;
        event.target.value = this.shown;
        this.wrong = false;
        return;
      }
      shot().commit(putting(this.path, value));
      event.target.value = this.worded(value);
    },
    stepped(/** @type {Pressed} */ event) {
      /** @type {Record<string, number>} */
      const directions = { ArrowUp: 1, ArrowDown: -1 };
      const direction = directions[event.key];
      if (event.key === "Enter") event.target.blur();
      if (!direction || this.value === null) return;
      event.preventDefault();
      const next = this.within(Number((this.value + direction * this.step * (event.shiftKey ? 10 : 1)).toFixed(6)));
      shot().commit(putting(this.path, next));
    },
    grab(/** @type {Pointed} */ event) {
      if (event.button !== 0 || this.value === null) return;
      const start = { x: event.clientX, at: this.scale.to(this.value) };
      const span = this.scale.to(this.to) - this.scale.to(this.from);
      const plain = this.scale === SCALES.even;
      /** @type {HTMLElement} */
      const label = event.currentTarget;
      const move = (/** @type {PointerEvent} */ at) => {
        const away = at.clientX - start.x;
        const unit = plain ? Math.min(span / PIXELS_A_RANGE, this.step) : span / PIXELS_A_RANGE;
        this.held = Number(this.within(this.beyond(start.at + away * unit)).toFixed(this.digits));
        shot().draft(putting(this.path, this.held));
      };
      dragged(label, event, move, (moved) => {
        if (!moved) return;
        shot().commit();
        label.addEventListener("click", (click) => click.preventDefault(), { once: true });
      });
    },
    get slid() {
      if (this.value === null) return 0;
      const [low, high] = [this.scale.to(this.from), this.scale.to(this.to)];
      return (1000 * (this.scale.to(Math.min(this.to, Math.max(this.from, this.value))) - low)) / (high - low);
    },
    slide(/** @type {Given} */ event) {
      const [low, high] = [this.scale.to(this.from), this.scale.to(this.to)];
      const value = this.beyond(low + (Number(event.target.value) / 1000) * (high - low));
      shot().draft(putting(this.path, Number(value.toFixed(Math.max(2, this.digits)))));
    },
    slideEnd() {
      shot().commit();
    },
    get onKey() {
      const keyed = this.keyed;
      return isKeyed(keyed) && (keyed.keys.length > 1 || this.byHand) && keyIndex(keyed, frame()) >= 0;
    },
    // A subject that stands on a ground has keys that correct it; any number of them, also none.
    get byHand() {
      return this.path === "@.distance" && Boolean(shot().subject()?.standing);
    },
    get keyed() {
      return this.byHand ? (shot().subject()?.standing?.by_hand ?? { keys: [] }) : shot().get(this.path);
    },
    get keyWords() {
      if (this.byHand) return keyIndex(this.keyed, frame()) >= 0 ? "Remove key" : "Correct here";
      return keyWords(this.keyed);
    },
    get keyHint() {
      return KEY_HINT;
    },
    toggleKey() {
      shot().commit(togglingKey(this.path));
    },
  }),

  choiceField: () => ({
    path: "",
    init() {
      this.path = this.$el.dataset.path;
    },
    is(/** @type {any} */ value) {
      return shot().get(this.path) === value;
    },
    choose(/** @type {Given} */ event) {
      shot().commit(putting(this.path, event.currentTarget.dataset.value));
    },
  }),

  switchField: () => ({
    path: "",
    init() {
      this.path = this.$el.dataset.path;
    },
    get on() {
      return Boolean(shot().get(this.path));
    },
    flip(/** @type {Given} */ event) {
      shot().commit(putting(this.path, event.target.checked));
    },
  }),
};
