// Values over time on this page, so that what is dragged answers at once. The server's rules are in core/setup/keyed.py;
// a browser test holds the two together.

/** @param {number} a @param {number} b @param {number} share */
const linear = (a, b, share) => a + (b - a) * share;
/** @param {number} a @param {number} b @param {number} share */
const dioptres = (a, b, share) => 1 / linear(1 / a, 1 / b, share);
/** @param {Pair} a @param {Pair} b @param {number} share @returns {Pair} */
const place = (a, b, share) => [linear(a[0], b[0], share), linear(a[1], b[1], share)];
const BY_DIOPTRES = ["distance", "near", "far"];

// How values of a name are mixed: distances as light does it, in dioptres.
export const mixOf = (/** @type {string} */ name) => (BY_DIOPTRES.includes(name) ? dioptres : linear);

const EASED = { x1: 0.42, y1: 0, x2: 0.58, y2: 1 };
/** @param {number} first @param {number} second @param {number} u */
const cubic = (first, second, u) => 3 * (1 - u) * (1 - u) * u * first + 3 * (1 - u) * u * u * second + u * u * u;

// How far along a value is when `time` of the way to the next key has passed (W3C, CSS Easing Functions Level 1).
/** @param {any} ease @param {number} time */
export function easeShare(ease, time) {
  if (ease === "hold") return 0;
  if (ease === "linear") return time;
  const curve = ease === "eased" ? EASED : ease;
  let low = 0;
  let high = 1;
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    if (cubic(curve.x1, curve.x2, middle) < time) low = middle;
    else high = middle;
  }
  return cubic(curve.y1, curve.y2, (low + high) / 2);
}

// The index of the last key at or before a frame; -1 before all.
/** @param {{ frame: number }[]} keys @param {number} frame */
export function keyBefore(keys, frame) {
  let low = 0;
  let high = keys.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (keys[middle].frame <= frame) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

export function keyedAt(/** @type {Keyed} */ { keys }, /** @type {number} */ frame, /** @type {string} */ name) {
  const i = keyBefore(keys, frame);
  if (i < 0) return keys[0].value;
  const left = keys[i];
  const right = keys[i + 1];
  if (!right || left.frame === frame || left.ease === "hold") return left.value;
  const share = easeShare(left.ease, (frame - left.frame) / (right.frame - left.frame));
  return (Array.isArray(left.value) ? place : mixOf(name))(left.value, right.value, share);
}
