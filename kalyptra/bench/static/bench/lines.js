// Outlines on this page: where they lie at the frame that is shown, and how a change of them is written into a setup.
import { ask, askJson } from "../design/scripts/server.js";
import { addKey, bare, countOf, keyIndex } from "./document.js";
import { carried, inverse, pointOf, times } from "./plane.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

const round = (value) => Number(value.toFixed(4));

export function curveOf(points) {
  return {
    points: points.map((p) => ({
      id: p.id, x: round(p.x), y: round(p.y), before: [round(p.bx - p.x), round(p.by - p.y)], after: [round(p.ax - p.x), round(p.ay - p.y)],
      smooth: p.smooth, feather_in: round(p.fin), feather_out: round(p.fout),
    })),
  }; // prettier-ignore
}

export const pointsOfCurve = (curve) =>
  curve.points.map((p) => ({ id: p.id, x: p.x, y: p.y, bx: p.x + p.before[0], by: p.y + p.before[1], ax: p.x + p.after[0], ay: p.y + p.after[1], fin: p.feather_in, fout: p.feather_out, smooth: p.smooth }));

export const newId = () => Array.from(crypto.getRandomValues(new Uint8Array(4)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export function newOutline(points, frame, joins = "add") {
  const hold = (value) => ({ keys: [{ frame, value, ease: "linear" }] });
  return { id: newId(), joins, motion: "free", shape: hold(curveOf(points)), placement: hold([1, 0, 0, 0, 1, 0, 0, 0]), steps: [] };
}

const outlineIn = (setup, subjectId, id) => setup.subjects.find((one) => one.id === subjectId)?.matte.outlines?.find((one) => one.id === id);
const moves = (outline) => countOf(outline.steps) > 0 || outline.placement.keys.length > 1 || outline.shape.keys.length > 1;
const numbers = (matrix) => matrix.slice(0, 8).map((one, i) => Number(one.toFixed(i < 6 ? (i % 3 === 2 ? 4 : 8) : 11)));

function put(keyed, frame, value) {
  const found = keyIndex(keyed, frame);
  if (found >= 0) keyed.keys[found].value = value;
  else {
    addKey(keyed, frame, value);
    keyed.keys[keyIndex(keyed, frame)].ease = "linear";
  }
}

// A change of an outline's points at this frame: they are hand-made from here on.
export function puttingPoints(id, matrix, points) {
  const [frame, subject] = [viewer().frame, shot().chosen];
  return (setup) => {
    const outline = outlineIn(setup, subject, id);
    const curve = curveOf(carried(inverse(matrix), points));
    if (!moves(outline)) {
      outline.shape.keys[0].value = curve;
      return;
    }
    put(outline.shape, frame, curve);
    // Following again must not move what was made by hand.
    if (countOf(outline.steps)) put(outline.placement, frame, numbers(matrix));
  };
}

// A move, turn or scale of the whole outline at this frame.
export function puttingPlacement(ids, motion) {
  const [frame, subject] = [viewer().frame, shot().chosen];
  const matrices = Object.fromEntries(ids.map((id) => [id, times(motion, lines().matrix(id))]));
  return (setup) => {
    for (const id of ids) {
      const outline = outlineIn(setup, subject, id);
      if (moves(outline)) put(outline.placement, frame, numbers(matrices[id]));
      else outline.placement.keys[0].value = numbers(matrices[id]);
    }
  };
}

export function togglingHandKey(id) {
  const [frame, subject] = [viewer().frame, shot().chosen];
  const [matrix, points] = [lines().matrix(id), lines().points(id)];
  return (setup) => {
    const outline = outlineIn(setup, subject, id);
    const keyed = [outline.shape, outline.placement];
    if (keyed.some((one) => keyIndex(one, frame) >= 0)) {
      for (const one of keyed) if (one.keys.length > 1) one.keys = one.keys.filter((key) => key.frame !== frame);
      return;
    }
    put(outline.placement, frame, numbers(matrix));
    put(outline.shape, frame, curveOf(carried(inverse(matrix), points)));
  };
}

export function handFrames(outline) {
  return [...new Set([...outline.shape.keys, ...outline.placement.keys].map((key) => key.frame))].sort((a, b) => a - b);
}

// How the outline goes from one hand-made key to the next.
export function puttingEase(id, ease) {
  const subject = shot().chosen;
  return (setup) => {
    const outline = outlineIn(setup, subject, id);
    for (const keyed of [outline.shape, outline.placement]) for (const key of keyed.keys) key.ease = ease;
  };
}

// Hand-made keys in a stretch that is to be followed anew; the last one of each kind stays.
export function droppingKeys(ids, low, high) {
  const subject = shot().chosen;
  return (setup) => {
    for (const id of ids) {
      const outline = outlineIn(setup, subject, id);
      for (const keyed of [outline.shape, outline.placement]) {
        const left = keyed.keys.filter((key) => key.frame < low || key.frame > high);
        keyed.keys = left.length ? left : keyed.keys.slice(0, 1);
      }
    }
  };
}

export function movingHandKey(id, from, to) {
  const subject = shot().chosen;
  return (setup) => {
    const outline = outlineIn(setup, subject, id);
    if (handFrames(outline).includes(to)) return;
    for (const keyed of [outline.shape, outline.placement]) {
      for (const key of keyed.keys) if (key.frame === from) key.frame = to;
      keyed.keys.sort((a, b) => a.frame - b.frame);
    }
  };
}

export const lines = () => window.Alpine.store("lines");

export function createLines() {
  return {
    key: "",
    at: {}, // by subject and outline: matrix and points
    held: null, // what is being dragged: points by outline
    busy: "",
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
        this.take(found);
        this.key = key;
        this.held = shot().drafting ? this.held : null;
      } finally {
        if (this.busy === key) this.busy = "";
      }
    },
    take(found) {
      for (const outlines of Object.values(found)) for (const one of Object.values(outlines)) one.points = one.points.map(pointOf);
      this.at = found;
    },
    get shown() {
      return this.live?.frame === viewer().frame || this.key.split("|")[1] === String(viewer().frame);
    },
    source() {
      return this.live?.frame === viewer().frame ? this.live.at : this.at;
    },
    points(id, subject = shot().chosen) {
      return bare(this.held?.[id] ?? this.source()[subject]?.[id]?.points ?? []);
    },
    matrix(id, subject = shot().chosen) {
      return this.source()[subject]?.[id]?.matrix ?? [1, 0, 0, 0, 1, 0, 0, 0, 1];
    },
    hold(id, points) {
      this.held = { ...this.held, [id]: points };
    },
  };
}

export const fitLine = (points, tolerance) => askJson("POST", shot().url("outlines/fit"), { points, tolerance }, undefined, true);
