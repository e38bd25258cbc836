// How fast the shot runs in what is rendered.

import { bare } from "./document.js";
import { keyedAt } from "./keys.js";

const shot = () => window.Alpine.store("shot");
const [SLOWEST, FASTEST] = [0.25, 4]; // what an ease that overshoots stays within

export const speedAt = (/** @type {number} */ frame) => {
  const { keys } = shot().setup.finish.speed.factor;
  if (keys.length === 1) return keys[0].value;
  return Math.min(FASTEST, Math.max(SLOWEST, Number(keyedAt({ keys: bare(keys) }, frame, "factor"))));
};

// Whether it stays the same over the shot.
export function isSteady() {
  const { first, last } = shot().setup.footage;
  for (let frame = first + 1; frame <= last; frame++) if (speedAt(frame) !== speedAt(first)) return false;
  return true;
}

// Seconds that the shot takes in what is rendered, and in the clip.
export function lasts() {
  const { first, last } = shot().setup.footage;
  let frames = 0;
  for (let frame = first; frame <= last; frame++) frames += 1 / speedAt(frame);
  return [frames, last - first + 1].map((count) => count / shot().clip.rate);
}
