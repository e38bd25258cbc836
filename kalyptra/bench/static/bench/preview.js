// What commands that are on their way make of the setup on this page, so that it answers at once. The rules are the
// server's (core/edit): its answer takes the place of this. A browser test holds the two together for the commands that
// are known here; all others show when they are answered. What does not change is shared, not copied.
import { countOf } from "./bare.js";

const ease = "eased";
const FOCUS = "focus.distance";

/** @param {any} whole @param {string} name */
function keyOf(whole, name) {
  if (!Array.isArray(whole)) return name;
  const index = whole.findIndex((one) => one?.id === name);
  return index < 0 ? Number(name) : index;
}

// What lies at a place of a setup; nothing where there is no such place.
/** @param {any} setup @param {string} path */
export function read(setup, path) {
  let found = setup;
  for (const name of path.split(".")) found = found?.[keyOf(found, name)];
  return found;
}

/** @param {any} whole @param {string[]} names @param {(value: any) => any} change */
function changed(whole, names, change) {
  if (names.length === 0) return change(whole);
  const key = keyOf(whole, names[0]);
  if (whole?.[key] === undefined) return whole;
  const inner = changed(whole[key], names.slice(1), change);
  if (inner === whole[key]) return whole;
  const copy = Array.isArray(whole) ? [...whole] : { ...whole };
  copy[key] = inner;
  return copy;
}

// Where a value's keys lie: of a subject on a ground they are those that correct the ground's.
/** @param {any} setup @param {string} path */
export function keysPath(setup, path) {
  const [list, id, name, ...rest] = path.split(".");
  const standing = list === "subjects" && name === "distance" && rest.length === 0 && read(setup, `subjects.${id}`)?.standing;
  return standing ? `subjects.${id}.standing.by_hand` : path;
}

// Of a source of distance that was followed, what goes along: it moves, and so it gets keys.
const ALONG = ["place", "start", "end", "centre", "across", "down", "turn", "fall_near", "fall_far", "horizon", "roll"];
/** @param {any} setup @param {string} path */
function isCarried(setup, path) {
  const [, , id, first, ...rest] = path.split(".");
  const source = path.startsWith("distance.sources.") && read(setup, `distance.sources.${id}`);
  if (!source || !countOf(source.steps)) return false;
  const last = rest.at(-1) ?? first;
  return ALONG.includes(last) || first === "corners" || (last === "width" && source.kind === "band") || (last === "distance" && source.by_size);
}

/** @param {Key} a @param {Key} b */
const byFrame = (a, b) => a.frame - b.frame;
/** @param {Key[]} still @param {Key[]} moved */
const settled = (still, moved) => [...new Map([...still, ...moved].map((key) => [key.frame, key])).values()].sort(byFrame);

/** @param {any} setup @param {string} path @param {(keys: Key[], byHand: boolean) => Key[]} change */
function keyed(setup, path, change) {
  const where = keysPath(setup, path);
  const byHand = where !== path;
  return changed(setup, where.split("."), (old) => {
    const keys = change(old?.keys ?? [], byHand);
    return keys.length ? { ...old, keys } : null;
  });
}

// Keys of the focus alone can be on a mark.
/** @param {string} path @param {Key} key */
const whole = (path, { mark = null, ...key }) => ({ ease, ...key, ...(path === FOCUS ? { mark } : {}) });
const offMark = (/** @type {string} */ path) => (path === FOCUS ? { mark: null } : {});

// Without a focal length of its own the camera in space has that of the lens; a number gives it one, and holds it still.
/** @param {string} path @param {any} value */
const heldStill = (path, value) => (path === "space.camera.focal_length_mm" && typeof value === "number" ? { keys: [{ frame: 0, value, ease }] } : value);

/** @type {Record<string, (setup: any, command: any) => any>} */
const KNOWN = {
  put: (/** @type {any} */ setup, { path, value }) => changed(setup, path.split("."), () => heldStill(path, value)),
  "set-at": (/** @type {any} */ setup, { path, frame, value }) =>
    keyed(setup, path, (keys, byHand) => {
      if (keys.length === 1 && !byHand && !isCarried(setup, path)) return [{ ...keys[0], value, ...offMark(path) }];
      return settled(keys, [{ ease, ...keys.find((key) => key.frame === frame), frame, value, ...offMark(path) }]);
    }),
  "put-keys": (/** @type {any} */ setup, { path, keys: put }) =>
    keyed(setup, path, (keys) =>
      settled(
        keys,
        put.map((/** @type {Key} */ key) => whole(path, key)),
      ),
    ),
  "drop-keys": (/** @type {any} */ setup, { path, frames }) =>
    keyed(setup, path, (keys, byHand) => {
      const left = keys.filter((key) => !frames.includes(key.frame));
      return left.length || byHand ? left : keys.slice(0, 1);
    }),
  "move-keys": (/** @type {any} */ setup, { path, frames, by = 0, about = 0, share = 1 }) =>
    keyed(setup, path, (keys) => {
      const moved = keys
        .filter((key) => frames.includes(key.frame))
        .map((key) => ({ ...key, frame: Math.max(0, Math.round(about + (key.frame - about) * share) + by) }));
      return settled(keys.filter((key) => !frames.includes(key.frame)), moved); // prettier-ignore
    }),
  "ease-keys": (/** @type {any} */ setup, { path, frames, ease: put }) =>
    keyed(setup, path, (keys) => keys.map((key) => (frames.includes(key.frame) ? { ...key, ease: put } : key))),
  "set-range": (/** @type {any} */ setup, { first, last }) => ({
    ...setup,
    footage: { first: first ?? setup.footage.first, last: last ?? setup.footage.last },
  }),
};

/** @param {any} setup @param {Command[]} commands */
export const shown = (setup, commands) => commands.reduce((now, one) => KNOWN[one.do]?.(now, one) ?? now, setup);
