// Steps by arrow keys that begin at the survey's numbers. Those that come while one is being worked out are taken
// together, so that none begins at numbers that are no more, and none is lost.
import { survey } from "./survey.js";

/** @param {(grab: string, by: Pair) => Promise<void>} take moves something by so many steps @returns {Stepped} */
export function stepping(take) {
  /** @type {Map<string, Pair>} */
  const waiting = new Map();
  let busy = false;
  return async (grab, [across, down]) => {
    const [x, y] = waiting.get(grab) ?? [0, 0];
    waiting.set(grab, [x + across, y + down]);
    if (busy) return;
    busy = true;
    try {
      // What is added meanwhile is gone through as well.
      for (const [name] of waiting) {
        await survey().settled();
        const by = waiting.get(name) ?? [0, 0];
        waiting.delete(name);
        await take(name, by);
      }
    } finally {
      waiting.clear();
      busy = false;
    }
  };
}
