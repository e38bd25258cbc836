// Sources of distance on this page: new ones, what each draws over the picture, and what its handles change.
import { bare, copy, putKeyed } from "./document.js";
import { keyedAt } from "./keys.js";
import { newId } from "./lines.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

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

const hold = (value) => ({ keys: [{ frame: shot().setup.footage.first, value, ease: "eased" }] });
const round = (value) => Math.round(value * 10) / 10;
const place = (x, y) => hold([round(x), round(y)]);
const limited = (value) => Math.min(100000, Math.max(0.02, Number(value.toPrecision(6))));

export const chosenSource = () => shot().seen.distance.sources.find((one) => one.id === shot().source);
export const nameOf = (source) => source.name || KINDS[source.kind];

// A keyed value of a source at this frame.
export const now = (keyed, name) => keyedAt(bare(keyed), viewer().frame, name);
export const distanceNow = (keyed) => now(keyed, "distance");

export function newSource(kind) {
  const { width: w, height: h } = shot().clip;
  const focus = shot().at(viewer().frame)?.lens.focus ?? 2;
  const [near, far] = [limited(focus * 0.6), limited(focus * 4)];
  const stops = [{ at: hold(0), distance: hold(near) }, { at: hold(1), distance: hold(far) }]; // prettier-ignore
  const made = {
    backdrop: () => ({ distance: hold(far) }),
    pins: () => ({ pins: [{ place: place(w / 2, h * 0.85), distance: hold(near) }, { place: place(w / 2, h * 0.2), distance: hold(far) }] }),
    ground: () => ({ horizon: hold(round(h * 0.42)), height: hold(1.5), joins: "nearer" }),
    corners: () => ({ corners: [place(w * 0.3, h * 0.25), place(w * 0.7, h * 0.25), place(w * 0.82, h * 0.8), place(w * 0.18, h * 0.8)], width: hold(0.21) }),
    line: () => ({ start: place(w / 2, h * 0.85), end: place(w / 2, h * 0.2), stops }),
    round: () => ({ centre: place(w * 0.45, h * 0.5), across: hold(round(w * 0.35)), down: hold(round(h * 0.45)), stops: [{ at: hold(0), distance: hold(limited(focus)) }, stops[1]] }),
    band: () => ({ centre: place(w / 2, h * 0.58), width: hold(round(h * 0.14)), fall_near: hold(round(h * 0.36)), fall_far: hold(round(h * 0.42)), distance: hold(limited(focus)), reach: hold(Number((0.8 / focus).toPrecision(3))) }),
  }[kind](); // prettier-ignore
  return { id: newId(), kind, name: KINDS[kind], ...made };
}

// Change the chosen source in a setup.
export function changing(change) {
  const id = shot().source;
  return (setup) => change(setup.distance.sources.find((one) => one.id === id));
}

const put = (keyed, value) => putKeyed(keyed, viewer().frame, value);
const putPlace = (keyed, [x, y]) => put(keyed, [round(x), round(y)]);

// Handles of a source: id, place, words, a change for a new place, and the keyed distance it has, if any.
const HANDLES = {
  backdrop: () => [],
  map: () => [],
  pins: (source) =>
    source.pins.map((pin, i) => ({
      id: `pin${i}`, at: now(pin.place), words: `Pin ${i + 1}`, distance: (one) => one.pins[i].distance,
      move: (one, to) => putPlace(one.pins[i].place, to),
    })), // prettier-ignore
  corners: (source) =>
    source.corners.map((corner, i) => ({ id: `corner${i}`, at: now(corner), words: `Corner ${i + 1}`, move: (one, to) => putPlace(one.corners[i], to) })),
  ground(source) {
    const { width } = shot().clip;
    const [level, roll] = [now(source.horizon), source.roll ? now(source.roll) : 0];
    const slope = Math.tan((roll * Math.PI) / 180);
    const turned = ([x, y], from) => put(from.roll, round((Math.atan2(y - now(from.horizon), x - width / 2) * 180) / Math.PI));
    return [
      { id: "horizon", at: [width / 2, level], words: "Horizon", move: (one, to) => put(one.horizon, round(to[1])) },
      { id: "roll", at: [width * 0.86, level + slope * width * 0.36], words: "Roll of the horizon", move: (one, to) => turned(to, withRoll(one)) },
    ];
  },
  line(source) {
    const [a, b] = [now(source.start), now(source.end)];
    const ends = [
      { id: "start", at: a, words: "Start of the line", end: true, move: (one, to) => putPlace(one.start, to) },
      { id: "end", at: b, words: "End of the line", end: true, move: (one, to) => putPlace(one.end, to) },
    ];
    return [...ends, ...stopHandles(source, (share) => [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share])];
  },
  round(source) {
    const [centre, across, down] = [now(source.centre), now(source.across), now(source.down)];
    const [ux, uy] = axis(source);
    const along = (one, to, x, y) => Math.max(1, round(Math.abs((to[0] - centre[0]) * x + (to[1] - centre[1]) * y)));
    return [
      { id: "centre", at: centre, words: "Centre", end: true, move: (one, to) => putPlace(one.centre, to) },
      { id: "across", at: [centre[0] + ux * across, centre[1] + uy * across], words: "Reach across", end: true, move: (one, to) => put(one.across, along(one, to, ux, uy)) },
      { id: "down", at: [centre[0] - uy * down, centre[1] + ux * down], words: "Reach down", end: true, move: (one, to) => put(one.down, along(one, to, -uy, ux)) },
      ...stopHandles(source, (share) => [centre[0] - ux * across * share, centre[1] - uy * across * share]),
    ];
  },
  band(source) {
    const centre = now(source.centre);
    const [half, near, far] = [now(source.width) / 2, now(source.fall_near), now(source.fall_far)];
    const [ux, uy] = axis(source);
    const beside = (px) => [centre[0] - uy * px, centre[1] + ux * px];
    const away = (to) => (to[0] - centre[0]) * -uy + (to[1] - centre[1]) * ux;
    const reach = shot().clip.width * 0.3;
    const turned = (to) => round((Math.atan2(to[1] - centre[1], to[0] - centre[0]) * 180) / Math.PI);
    return [
      { id: "centre", at: centre, words: "Middle of the band", distance: (one) => one.distance, move: (one, to) => putPlace(one.centre, to) },
      { id: "width", at: beside(half), words: "Width of the band", end: true, move: (one, to) => put(one.width, Math.max(0, round(2 * Math.abs(away(to))))) },
      { id: "near", at: beside(half + near), words: "Fall-off, near side", end: true, move: (one, to) => put(one.fall_near, Math.max(1, round(away(to) - half))) },
      { id: "far", at: beside(-half - far), words: "Fall-off, far side", end: true, move: (one, to) => put(one.fall_far, Math.max(1, round(-away(to) - half))) },
      { id: "turn", at: [centre[0] + ux * reach, centre[1] + uy * reach], words: "Turn of the band", end: true, move: (one, to) => put(withTurn(one).turn, turned(to)) },
    ];
  },
}; // prettier-ignore

function stopHandles(source, where) {
  return source.stops.map((stop, i) => ({
    id: `stop${i}`,
    at: where(now(stop.at)),
    words: `Stop ${i + 1}`,
    stop: i,
    distance: (one) => one.stops[i].distance,
    move: (one, to) => put(one.stops[i].at, shareAt(one, to)),
  }));
}

const withTurn = (one) => ((one.turn ??= hold(0)), one);
const withRoll = (one) => ((one.roll ??= hold(0)), one);
const axis = (source) => {
  const turn = ((source.turn ? now(source.turn) : 0) * Math.PI) / 180;
  return [Math.cos(turn), Math.sin(turn)];
};

// How far along its way a place is: 0 where it starts, 1 where it ends.
export function shareAt(source, to) {
  const clamp = (share) => Math.round(Math.min(1, Math.max(0, share)) * 1000) / 1000;
  if (source.kind === "line") {
    const [a, b] = [now(source.start), now(source.end)];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    return clamp(((to[0] - a[0]) * dx + (to[1] - a[1]) * dy) / Math.max(1, dx * dx + dy * dy));
  }
  const centre = now(source.centre);
  const [ux, uy] = axis(source);
  const u = ((to[0] - centre[0]) * ux + (to[1] - centre[1]) * uy) / now(source.across);
  const v = ((to[0] - centre[0]) * -uy + (to[1] - centre[1]) * ux) / now(source.down);
  return clamp(Math.hypot(u, v));
}

export const handlesOf = (source) => HANDLES[source.kind](source);

// Lines that a source draws over the picture, as paths.
export function pathsOf(source) {
  const { width } = shot().clip;
  const m = (a, b) => `M${a[0].toFixed(1)} ${a[1].toFixed(1)}L${b[0].toFixed(1)} ${b[1].toFixed(1)}`;
  if (source.kind === "pins") {
    const at = source.pins.map((pin) => now(pin.place));
    return [`${at.map((p, i) => `${i ? "L" : "M"}${p[0]} ${p[1]}`).join("")}${at.length > 2 ? "Z" : ""}`];
  }
  if (source.kind === "corners") return [`${source.corners.map((corner, i) => `${i ? "L" : "M"}${now(corner).join(" ")}`).join("")}Z`];
  if (source.kind === "line") return [m(now(source.start), now(source.end))];
  if (source.kind === "ground") {
    const slope = Math.tan(((source.roll ? now(source.roll) : 0) * Math.PI) / 180) * (width / 2);
    const level = now(source.horizon);
    return [m([0, level - slope], [width, level + slope])];
  }
  if (source.kind === "round") {
    const [centre, [ux, uy]] = [now(source.centre), axis(source)];
    const ellipse = (share) => {
      const [a, b] = [now(source.across) * share, now(source.down) * share];
      const point = (t) => [centre[0] + ux * a * Math.cos(t) - uy * b * Math.sin(t), centre[1] + uy * a * Math.cos(t) + ux * b * Math.sin(t)];
      return `${Array.from({ length: 64 }, (_, i) => point((i / 64) * 2 * Math.PI)).map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("")}Z`; // prettier-ignore
    };
    return [ellipse(1), ...source.stops.map((stop) => now(stop.at)).filter((share) => share > 0 && share < 1).map(ellipse)]; // prettier-ignore
  }
  if (source.kind === "band") {
    const [centre, [ux, uy]] = [now(source.centre), axis(source)];
    const half = now(source.width) / 2;
    const across = (px) => {
      const [x, y] = [centre[0] - uy * px, centre[1] + ux * px];
      return m([x - ux * width, y - uy * width], [x + ux * width, y + uy * width]);
    };
    return [across(half) + across(-half), across(half + now(source.fall_near)) + across(-half - now(source.fall_far))];
  }
  return [];
}

// A stop more, at a place of the way, with the distance that the way has there.
export function addingStop(share, distance) {
  return changing((source) => {
    source.stops.push({ at: hold(share), distance: hold(limited(distance)) });
    source.stops.sort((a, b) => now(a.at) - now(b.at));
  });
}

export const removingStop = (i) => changing((source) => source.stops.length > 2 && source.stops.splice(i, 1));

// Nearer or farther by equal steps of dioptres and of ratio: a little of both serves near and far things.
export const nudged = (value, by) => limited(value * Math.pow(1.02, by));

export function puttingDistance(handle, value) {
  return changing((source) => put(handle.distance(source), limited(value)));
}

export const wordsOf = (handle, source) => (handle.distance ? metres(distanceNow(handle.distance(source))) : "");
export const copied = (source) => ({ ...copy(source), id: newId() });
