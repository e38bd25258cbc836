// Keys over time: which are chosen, and what is done to them. It serves the focus curve and every other keyed value.
import { bare, copy, fullPath, readPath } from "./document.js";
import { easeShare, keyBefore, keyedAt, mixOf } from "./keys.js";
import { remember, remembered } from "./remembered.js";
import { metresOf } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const curve = () => window.Alpine.store("curve");
export const FOCUS = "focus.distance";

export const nameOfPath = (/** @type {string} */ path) => path.split(".").at(-1) ?? "";
/** @returns {Key[]} */
export const keysOf = (/** @type {string} */ path, setup = shot().seen) => bare(readPath(setup, path))?.keys ?? [];

// A mark's distance at a frame, as the server read it.
/** @param {string} id @param {number} frame */
export function markAt(id, frame) {
  const { reading } = shot();
  const found = reading?.marks?.[id];
  if (!found) return bare(shot().seen.focus.marks ?? []).find((one) => one.id === id)?.distance ?? null;
  const index = Math.max(0, Math.min(found.length - 1, (frame - reading.first) / reading.step));
  const [a, b] = [found[Math.floor(index)], found[Math.ceil(index)]];
  return 1 / (1 / a + (1 / b - 1 / a) * (index % 1));
}

/** @param {Key} key @param {number} frame */
export const keyValue = (key, frame) => (key.mark ? markAt(key.mark, frame) : null) ?? key.value;

// Focus at a frame by the keys on this page (core/setup/focus_at.py has the rules).
/** @param {Key[]} keys @param {number} frame */
export function focusAt(keys, frame) {
  const i = keyBefore(keys, frame);
  if (i < 0) return keyValue(keys[0], frame);
  const [left, right] = [keys[i], keys[i + 1]];
  if (!right || left.frame === frame || left.ease === "hold") return keyValue(left, frame);
  const share = easeShare(left.ease ?? "eased", (frame - left.frame) / (right.frame - left.frame));
  return mixOf("distance")(keyValue(left, frame), keyValue(right, frame), share);
}

/** @param {string} path @param {number} frame @param {Api["Setup"]} [setup] */
export const valueAt = (path, frame, setup) =>
  path === FOCUS ? focusAt(keysOf(path, setup), frame) : keyedAt({ keys: keysOf(path, setup) }, frame, nameOfPath(path));

// Pulls: from one key to the next where the ends differ and focus does not hold.
export function pullsOf(/** @type {Key[]} */ keys) {
  /** @type {{ i: number; left: Key; right: Key; frames: number }[]} */
  const out = [];
  keys.slice(1).forEach((right, i) => {
    const left = keys[i];
    const still = left.mark ? left.mark === right.mark : !right.mark && Math.abs(1 / left.value - 1 / right.value) < 1e-6;
    if (left.ease !== "hold" && !still) out.push({ i, left, right, frames: right.frame - left.frame });
  });
  return out;
}

// Commands on keys. Chosen ones are moved in time, and in value by a change of each.
/** @param {string} path @param {Key[]} keys */
export const putting = (path, ...keys) => ({ do: "put-keys", path: fullPath(path), keys });

/** @param {string} path @param {number[]} frames @param {number} by @param {((key: Key) => Partial<Key>) | null} [change] */
export function moving(path, frames, by, change) {
  const to = (/** @type {number} */ frame) => Math.max(0, frame + by);
  const moved = { do: "move-keys", path: fullPath(path), frames, by };
  if (!change) return [moved];
  const keys = keysOf(path, shot().setup).filter((key) => frames.includes(key.frame));
  return [moved, putting(path, ...keys.map((key) => ({ ...key, ...change(key), frame: to(key.frame) })))];
}

/** @param {string} path @param {number[]} frames @param {number} about @param {number} share */
export const scaling = (path, frames, about, share) => ({
  do: "move-keys",
  path: fullPath(path),
  frames,
  about,
  share,
});

/** @param {string} path @param {number[]} frames @param {(key: Key) => Partial<Key>} change */
export function changingKeys(path, frames, change) {
  const keys = keysOf(path, shot().setup).filter((key) => frames.includes(key.frame));
  return putting(path, ...keys.map((key) => ({ ...key, ...change(key) })));
}

export function createCurve() {
  return {
    path: FOCUS, // of which value keys are chosen
    /** @type {number[]} */
    chosen: [], // their frames
    /** @type {Key[]} */
    held: [], // copied keys
    row: "", // another keyed value, shown below the focus chart
    /** @type {number | null} */
    first: null, // the stretch of time that is shown; the whole clip without one
    /** @type {number | null} */
    last: null,
    /** @type {number | null} */
    low: null, // dioptres that are shown; what the shot needs without them
    /** @type {number | null} */
    high: null,
    // How long a pull takes that is written by pointing, and whether that is said in frames or in seconds.
    take: remembered("take", 24),
    takeIn: remembered("take-in", "fr"),
    keepTake() {
      remember("take", this.take);
      remember("take-in", this.takeIn);
    },

    /** @param {string} path @param {number[]} frames */
    choose(path, frames) {
      this.path = path;
      this.chosen = frames;
    },
    /** @param {string} path @param {number} frame */
    isChosen(path, frame) {
      return this.path === path && this.chosen.includes(frame);
    },
    get keys() {
      return keysOf(this.path).filter((key) => this.chosen.includes(key.frame));
    },
    copy() {
      this.held = copy(this.keys);
    },
    paste() {
      if (this.held.length === 0) return;
      const start = this.held[0].frame;
      const moved = this.held.map((key) => ({ ...key, frame: key.frame - start + viewer().frame }));
      shot().commit(putting(this.path, ...moved));
      this.chosen = moved.map((key) => key.frame);
    },
    drop() {
      const frames = [...this.chosen];
      this.chosen = [];
      shot().commit({ do: "drop-keys", path: fullPath(this.path), frames });
    },
    nudge(/** @type {number} */ by) {
      const frames = [...this.chosen];
      if (frames.some((frame) => frame + by < 0)) return;
      this.chosen = frames.map((frame) => frame + by);
      shot().commit(moving(this.path, frames, by));
    },
    // Nearer or farther: by a hundredth of what the chart shows, and off its mark.
    shift(/** @type {number} */ by) {
      const share = this.path.endsWith("distance")
        ? (/** @type {Key} */ key) => ({ ...key, mark: null, value: metresOf(1 / keyValue(key, key.frame) + by) })
        : (/** @type {Key} */ key) => ({ ...key, value: key.value * (1 + by) });
      shot().commit(moving(this.path, [...this.chosen], 0, share));
    },
    ease(/** @type {any} */ ease) {
      shot().commit({ do: "ease-keys", path: fullPath(this.path), frames: [...this.chosen], ease });
    },
    clear() {
      this.chosen = [];
    },
    /** @param {number} by @param {number} about */
    zoom(by, about) {
      const { end } = shot();
      const [a, b] = [this.first ?? 0, this.last ?? end];
      const wide = Math.min(end, Math.max(6, (b - a) * by));
      const share = (about - a) / Math.max(1, b - a);
      this.window(about - share * wide, about + (1 - share) * wide);
    },
    /** @param {number} first @param {number} last */
    window(first, last) {
      const { end } = shot();
      const wide = last - first;
      if (wide >= end) return this.fit();
      const start = Math.min(Math.max(0, first), end - wide);
      [this.first, this.last] = [start, start + wide];
      shot().span(Math.floor(start), Math.ceil(start + wide));
    },
    scroll(/** @type {number} */ by) {
      if (this.first !== null && this.last !== null) this.window(this.first + by, this.last + by);
    },
    fit() {
      this.first = this.last = this.low = this.high = null;
      shot().span(null, null);
    },
  };
}
