// Outlines on this page: where they lie at the frame that is shown, and the commands that change them.
import { ask, askJson } from "../design/scripts/server.js";
import { bare } from "./document.js";
import { pointOf } from "./plane.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

const round = (/** @type {number} */ value) => Number(value.toFixed(4));

export function curveOf(/** @type {SplinePoint[]} */ points) {
  return {
    points: points.map((p) => ({
      id: p.id, x: round(p.x), y: round(p.y), before: [round(p.bx - p.x), round(p.by - p.y)], after: [round(p.ax - p.x), round(p.ay - p.y)],
      smooth: p.smooth, feather_in: round(p.fin), feather_out: round(p.fout),
    })),
  }; // prettier-ignore
}

export const pointsOfCurve = (/** @type {Api["Curve"]} */ curve) =>
  curve.points.map((p) => ({
    id: p.id,
    x: p.x,
    y: p.y,
    bx: p.x + p.before[0],
    by: p.y + p.before[1],
    ax: p.x + p.after[0],
    ay: p.y + p.after[1],
    fin: p.feather_in ?? 0,
    fout: p.feather_out ?? 0,
    smooth: p.smooth ?? false,
  }));

export const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(4)), (byte) => byte.toString(16).padStart(2, "0")).join("");

// Commands on outlines of the chosen subject at this frame. Points and motions are px of the source, as they are seen.
const at = () => ({ subject: shot().chosen, frame: viewer().frame });

/** @param {string} outline @param {SplinePoint[]} points */
export const puttingPoints = (outline, points) => ({
  do: "shape-outline",
  ...at(),
  outline,
  curve: curveOf(points),
});
/** @param {string[]} outlines @param {Matrix} motion */
export const puttingPlacement = (outlines, motion) => ({ do: "place-outlines", ...at(), outlines, motion });

export function togglingHandKey(/** @type {string} */ id) {
  const { subject, frame } = at();
  const outline = shot().outline();
  if (outline && handFrames(outline).includes(frame)) return { do: "drop-outline-keys", subject, outlines: [id], first: frame, last: frame };
  return { do: "key-outline", subject, outline: id, frame };
}

export function handFrames(/** @type {{ shape: { keys: { frame: number }[] }; placement: { keys: { frame: number }[] } }} */ outline) {
  return [...new Set([...outline.shape.keys, ...outline.placement.keys].map((key) => key.frame))].sort((a, b) => a - b);
}

export const lines = () => window.Alpine.store("lines");

export function createLines() {
  return {
    key: "",
    at: {}, // by subject and outline: matrix and points
    /** @type {Record<string, [number, number, number]>} */
    doubts: {}, // by subject: where it is in doubt
    /** @type {Record<string, SplinePoint[]> | null} */
    held: null, // what is being dragged: points by outline
    busy: "",
    /** @type {{ frame: number; at: any } | null} */
    live: null, // what is being followed

    get wanted() {
      return `${shot().saved.revision}|${viewer().frame}`;
    },
    async fetch() {
      const key = this.wanted;
      if (this.key === key || this.busy === key) return;
      this.busy = key;
      const [revision, frame] = key.split("|");
      try {
        const answer = await ask("GET", shot().url(`outlines/${revision}/${frame}.json`));
        if (!answer.ok) return;
        const found = await answer.json();
        if (this.wanted !== key) return;
        this.take(found.outlines);
        this.doubts = found.doubts;
        this.key = key;
        this.held = shot().drafting ? this.held : null;
      } finally {
        if (this.busy === key) this.busy = "";
      }
    },
    take(/** @type {Record<string, Record<string, any>>} */ found) {
      for (const outlines of Object.values(found)) for (const one of Object.values(outlines)) one.points = one.points.map(pointOf);
      this.at = found;
    },
    get shown() {
      return this.live?.frame === viewer().frame || this.key.split("|")[1] === String(viewer().frame);
    },
    source() {
      return this.live?.frame === viewer().frame ? this.live.at : this.at;
    },
    /** @param {string} id @param {string} [subject] @returns {SplinePoint[]} */
    points(id, subject = shot().chosen) {
      return bare(this.held?.[id] ?? this.source()[subject]?.[id]?.points ?? []);
    },
    /** @param {string} id @param {SplinePoint[]} points */
    hold(id, points) {
      this.held = { ...this.held, [id]: points };
    },
  };
}

/** @param {Pair[]} points @param {number} tolerance */
export const fitLine = (points, tolerance) => askJson("POST", shot().url("outlines/fit"), { points, tolerance }, undefined, true);
