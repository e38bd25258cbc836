// Sources of distance on this page: new ones, what each draws over the picture, and what its handles change.
import { bare, countOf, keyIndex, setting } from "./document.js";
import { keyedAt } from "./keys.js";
import { read } from "./preview.js";
import { survey } from "./survey.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

/** @type {Record<string, string>} */
export const KINDS = {
  backdrop: "Backdrop",
  pins: "Plane",
  ground: "Ground",
  corners: "Four corners",
  line: "Stops",
  round: "Round",
  band: "Band",
  map: "Map file",
};

const round = (/** @type {number} */ value) => Math.round(value * 10) / 10;
const limited = (/** @type {number} */ value) => Math.min(100000, Math.max(0.02, Number(value.toPrecision(6))));

// Each kind has handles of its own, which look at what that kind has.
/** @returns {Source[]} */
export const sources = () => /** @type {any} */ (shot().seen.distance.sources);
export const chosenSource = () => sources().find((one) => one.id === shot().source);
export const nameOf = (/** @type {{ name?: string; kind: string }} */ source) => source.name || KINDS[source.kind];

// A value of a source at this frame. Of one that was followed the server carries it along; keys hold as they are.
/** @param {Source} source @param {string} path */
export function here(source, path) {
  const keyed = bare(read(source, path));
  const { frame } = viewer();
  const carried = bare(survey().now)?.carried[source.id]?.[path];
  if (carried !== undefined && keyIndex(keyed, frame) < 0) return carried;
  return keyedAt(keyed, frame, path.split(".").at(-1) ?? "");
}
export const distanceNow = (/** @type {Keyed} */ keyed) => keyedAt(bare(keyed), viewer().frame, "distance");
export const isFollowed = (/** @type {any} */ source) => countOf(source?.steps) > 0;

// Commands on the chosen source at this frame.
/** @param {string} place @param {any} value */
const put = (place, value) => setting(`#.${place}`, viewer().frame, value);
const putPlace = (/** @type {string} */ place, /** @type {Pair} */ [x, y]) => put(place, [round(x), round(y)]);

// Handles of a source: id, place, words, the command for a new place, and where its distance lies, if it has one.
/** @type {Record<string, (source: Source) => Handle[]>} */
const HANDLES = {
  backdrop: () => [],
  map: () => [],
  pins: (source) =>
    source.pins.map((_, i) => ({
      id: `pin${i}`, at: here(source, `pins.${i}.place`), words: `Pin ${i + 1}`, distance: `pins.${i}.distance`,
      move: (to) => putPlace(`pins.${i}.place`, to),
    })), // prettier-ignore
  corners: (source) =>
    source.corners.map((_, i) => ({ id: `corner${i}`, at: here(source, `corners.${i}`), words: `Corner ${i + 1}`, move: (to) => putPlace(`corners.${i}`, to) })),
  ground(source) {
    const { width } = shot().clip;
    const [level, roll] = [here(source, "horizon"), source.roll ? here(source, "roll") : 0];
    const slope = Math.tan((roll * Math.PI) / 180);
    const turned = (/** @type {Pair} */ [x, y]) => put("roll", round((Math.atan2(y - level, x - width / 2) * 180) / Math.PI));
    return [
      { id: "horizon", at: [width / 2, level], words: "Horizon", move: (to) => put("horizon", round(to[1])) },
      { id: "roll", at: [width * 0.86, level + slope * width * 0.36], words: "Roll of the horizon", move: turned },
    ];
  },
  line(source) {
    const [a, b] = [here(source, "start"), here(source, "end")];
    /** @type {Handle[]} */
    const ends = [
      { id: "start", at: a, words: "Start of the line", end: true, move: (to) => putPlace("start", to) },
      { id: "end", at: b, words: "End of the line", end: true, move: (to) => putPlace("end", to) },
    ];
    return [...ends, ...stopHandles(source, (share) => [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share])];
  },
  round(source) {
    const [centre, across, down] = [here(source, "centre"), here(source, "across"), here(source, "down")];
    const [ux, uy] = axis(source);
    /** @param {Pair} to @param {number} x @param {number} y */
    const along = (to, x, y) => Math.max(1, round(Math.abs((to[0] - centre[0]) * x + (to[1] - centre[1]) * y)));
    return [
      { id: "centre", at: centre, words: "Centre", end: true, move: (to) => putPlace("centre", to) },
      { id: "across", at: [centre[0] + ux * across, centre[1] + uy * across], words: "Reach across", end: true, move: (to) => put("across", along(to, ux, uy)) },
      { id: "down", at: [centre[0] - uy * down, centre[1] + ux * down], words: "Reach down", end: true, move: (to) => put("down", along(to, -uy, ux)) },
      ...stopHandles(source, (share) => [centre[0] - ux * across * share, centre[1] - uy * across * share]),
    ];
  },
  band(source) {
    const centre = here(source, "centre");
    const [half, near, far] = [here(source, "width") / 2, here(source, "fall_near"), here(source, "fall_far")];
    const [ux, uy] = axis(source);
    /** @returns {Pair} */
    const beside = (/** @type {number} */ px) => [centre[0] - uy * px, centre[1] + ux * px];
    const away = (/** @type {Pair} */ to) => (to[0] - centre[0]) * -uy + (to[1] - centre[1]) * ux;
    const reach = shot().clip.width * 0.3;
    const turned = (/** @type {Pair} */ to) => round((Math.atan2(to[1] - centre[1], to[0] - centre[0]) * 180) / Math.PI);
    return [
      { id: "centre", at: centre, words: "Middle of the band", distance: "distance", move: (to) => putPlace("centre", to) },
      { id: "width", at: beside(half), words: "Width of the band", end: true, move: (to) => put("width", Math.max(0, round(2 * Math.abs(away(to))))) },
      { id: "near", at: beside(half + near), words: "Fall-off, near side", end: true, move: (to) => put("fall_near", Math.max(1, round(away(to) - half))) },
      { id: "far", at: beside(-half - far), words: "Fall-off, far side", end: true, move: (to) => put("fall_far", Math.max(1, round(-away(to) - half))) },
      { id: "turn", at: [centre[0] + ux * reach, centre[1] + uy * reach], words: "Turn of the band", end: true, move: (to) => put("turn", turned(to)) },
    ];
  },
}; // prettier-ignore

/** @param {Source} source @param {(share: number) => Pair} where @returns {Handle[]} */
function stopHandles(source, where) {
  return source.stops.map((stop, i) => ({
    id: `stop${i}`,
    at: where(here(source, `stops.${i}.at`)),
    words: `Stop ${i + 1}`,
    stop: i,
    distance: `stops.${i}.distance`,
    move: (to) => put(`stops.${i}.at`, shareAt(source, to)),
  }));
}

const axis = (/** @type {Source} */ source) => {
  const turn = ((source.turn ? here(source, "turn") : 0) * Math.PI) / 180;
  return [Math.cos(turn), Math.sin(turn)];
};

// How far along its way a place is: 0 where it starts, 1 where it ends.
/** @param {Source} source @param {Pair} to */
export function shareAt(source, to) {
  const clamp = (/** @type {number} */ share) => Math.round(Math.min(1, Math.max(0, share)) * 1000) / 1000;
  if (source.kind === "line") {
    const [a, b] = [here(source, "start"), here(source, "end")];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    return clamp(((to[0] - a[0]) * dx + (to[1] - a[1]) * dy) / Math.max(1, dx * dx + dy * dy));
  }
  const centre = here(source, "centre");
  const [ux, uy] = axis(source);
  const u = ((to[0] - centre[0]) * ux + (to[1] - centre[1]) * uy) / here(source, "across");
  const v = ((to[0] - centre[0]) * -uy + (to[1] - centre[1]) * ux) / here(source, "down");
  return clamp(Math.hypot(u, v));
}

export const handlesOf = (/** @type {Source} */ source) => HANDLES[source.kind](source);

// Lines that a source draws over the picture, as paths.
export function pathsOf(/** @type {Source} */ source) {
  const { width } = shot().clip;
  /** @param {Pair} a @param {Pair} b */
  const m = (a, b) => `M${a[0].toFixed(1)} ${a[1].toFixed(1)}L${b[0].toFixed(1)} ${b[1].toFixed(1)}`;
  if (source.kind === "pins") {
    const at = source.pins.map((_, i) => here(source, `pins.${i}.place`));
    return [`${at.map((p, i) => `${i ? "L" : "M"}${p[0]} ${p[1]}`).join("")}${at.length > 2 ? "Z" : ""}`];
  }
  if (source.kind === "corners") return [`${source.corners.map((_, i) => `${i ? "L" : "M"}${here(source, `corners.${i}`).join(" ")}`).join("")}Z`];
  if (source.kind === "line") return [m(here(source, "start"), here(source, "end"))];
  if (source.kind === "ground") {
    const slope = Math.tan(((source.roll ? here(source, "roll") : 0) * Math.PI) / 180) * (width / 2);
    const level = here(source, "horizon");
    return [m([0, level - slope], [width, level + slope])];
  }
  if (source.kind === "round") {
    const [centre, [ux, uy]] = [here(source, "centre"), axis(source)];
    const ellipse = (/** @type {number} */ share) => {
      const [a, b] = [here(source, "across") * share, here(source, "down") * share];
      const point = (/** @type {number} */ t) => [
        centre[0] + ux * a * Math.cos(t) - uy * b * Math.sin(t),
        centre[1] + uy * a * Math.cos(t) + ux * b * Math.sin(t),
      ];
      return `${Array.from({ length: 64 }, (_, i) => point((i / 64) * 2 * Math.PI)).map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("")}Z`; // prettier-ignore
    };
    return [ellipse(1), ...source.stops.map((_, i) => here(source, `stops.${i}.at`)).filter((share) => share > 0 && share < 1).map(ellipse)]; // prettier-ignore
  }
  if (source.kind === "band") {
    const [centre, [ux, uy]] = [here(source, "centre"), axis(source)];
    const half = here(source, "width") / 2;
    const across = (/** @type {number} */ px) => {
      const [x, y] = [centre[0] - uy * px, centre[1] + ux * px];
      return m([x - ux * width, y - uy * width], [x + ux * width, y + uy * width]);
    };
    return [across(half) + across(-half), across(half + here(source, "fall_near")) + across(-half - here(source, "fall_far"))];
  }
  return [];
}

// Nearer or farther by equal steps of dioptres and of ratio: a little of both serves near and far things.
/** @param {number} value @param {number} by */
export const nudged = (value, by) => limited(value * Math.pow(1.02, by));

/** @param {Handle} handle @param {number} value */
export const puttingDistance = (handle, value) => put(handle.distance ?? "", limited(value));
/** @param {Handle} handle @param {Source | null | undefined} source */
export const distanceOf = (handle, source) => (source && handle.distance ? here(source, handle.distance) : null);
/** @param {Handle} handle @param {Source | null} source */
export const wordsOf = (handle, source) => (handle.distance ? metres(distanceOf(handle, source)) : "");

export const addingStop = (/** @type {number} */ at) => ({ do: "add-stop", source: shot().source, at: Math.round(at * 1000) / 1000, frame: viewer().frame });
export const removingStop = (/** @type {number} */ stop) => ({ do: "remove-stop", source: shot().source, stop });
