// Maps of the plane as nine numbers, row by row, and closed splines as lists of points.
/** @param {Matrix} m @param {number} x @param {number} y */
export function apply(m, x, y) {
  const w = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
}

/** @param {Matrix} a @param {Matrix} b */
export function times(a, b) {
  /** @type {Matrix} */
  const out = [];
  for (let row = 0; row < 3; row++)
    for (let column = 0; column < 3; column++) out.push(a[3 * row] * b[column] + a[3 * row + 1] * b[3 + column] + a[3 * row + 2] * b[6 + column]);
  return out.map((one) => one / out[8]);
}

/** @param {number} x @param {number} y */
export const shift = (x, y) => [1, 0, x, 0, 1, y, 0, 0, 1];
/** @param {number} x @param {number} y @param {Matrix} m */
export const about = (x, y, m) => times(shift(x, y), times(m, shift(-x, -y)));
/** @param {number} x @param {number} y */
export const stretch = (x, y) => [x, 0, 0, 0, y, 0, 0, 0, 1];
export function turn(/** @type {number} */ degrees) {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  return [c, -s, 0, s, c, 0, 0, 0, 1];
}

// A point: id, place, handle before, handle after (as places), feathers, whether it is smooth.
export function pointOf(/** @type {PointRow} */ [id, x, y, bx, by, ax, ay, fin, fout, smooth]) {
  return { id, x, y, bx, by, ax, ay, fin, fout, smooth };
}

/** @param {Matrix} m @param {SplinePoint[]} points */
export function carried(m, points) {
  return points.map((p) => {
    const [[x, y], [bx, by], [ax, ay]] = [apply(m, p.x, p.y), apply(m, p.bx, p.by), apply(m, p.ax, p.ay)];
    return { ...p, x, y, bx, by, ax, ay };
  });
}

export function pathOf(/** @type {SplinePoint[]} */ points, closed = true) {
  if (points.length === 0) return "";
  const n = (/** @type {number} */ value) => value.toFixed(2);
  let path = `M${n(points[0].x)} ${n(points[0].y)}`;
  for (let i = 1; i < points.length + (closed ? 1 : 0); i++) {
    const [a, b] = [points[i - 1], points[i % points.length]];
    path += `C${n(a.ax)} ${n(a.ay)} ${n(b.bx)} ${n(b.by)} ${n(b.x)} ${n(b.y)}`;
  }
  return closed ? `${path}Z` : path;
}

// Places along the whole line: where they are, the way outwards, and the feathers there.
export function along(/** @type {SplinePoint[]} */ points, per = 12) {
  /** @type {Along[]} */
  const places = [];
  points.forEach((a, i) => {
    const b = points[(i + 1) % points.length];
    for (let k = 0; k < per; k++) {
      const u = k / per;
      const v = 1 - u;
      const [c0, c1, c2, c3] = [v * v * v, 3 * v * v * u, 3 * v * u * u, u * u * u];
      const x = c0 * a.x + c1 * a.ax + c2 * b.bx + c3 * b.x;
      const y = c0 * a.y + c1 * a.ay + c2 * b.by + c3 * b.y;
      places.push({ x, y, nx: 0, ny: 0, u, i, fin: v * a.fin + u * b.fin, fout: v * a.fout + u * b.fout });
    }
  });
  let area = 0;
  places.forEach((a, i) => {
    const b = places[(i + 1) % places.length];
    area += a.x * b.y - b.x * a.y;
  });
  const side = area < 0 ? -1 : 1;
  places.forEach((place, i) => {
    const [a, b] = [places[(i + places.length - 1) % places.length], places[(i + 1) % places.length]];
    const long = Math.hypot(b.x - a.x, b.y - a.y) || 1;
    place.nx = (side * (b.y - a.y)) / long;
    place.ny = (-side * (b.x - a.x)) / long;
  });
  return places;
}

const boxes = new WeakMap(); // a list of points never changes; another one takes its place

export function boxOf(/** @type {SplinePoint[]} */ points) {
  if (!boxes.has(points)) boxes.set(points, measured(points));
  return boxes.get(points);
}

function measured(/** @type {SplinePoint[]} */ points) {
  const places = along(points, 8);
  const [xs, ys] = [places.map((p) => p.x), places.map((p) => p.y)];
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  return { x: (left + right) / 2, y: (top + bottom) / 2, width: Math.max(1, right - left), height: Math.max(1, bottom - top) };
}

// A point put on the line; the line stays as it is (de Casteljau).
/** @param {SplinePoint[]} points @param {number} i @param {number} u @param {number} id */
export function split(points, i, u, id) {
  const a = { ...points[i] };
  const j = (i + 1) % points.length;
  const b = { ...points[j] };
  /** @param {Pair} p @param {Pair} q @returns {Pair} */
  const mix = (p, q) => [p[0] + (q[0] - p[0]) * u, p[1] + (q[1] - p[1]) * u];
  /** @type {Pair[]} */
  const [p0, p1, p2, p3] = [[a.x, a.y], [a.ax, a.ay], [b.bx, b.by], [b.x, b.y]]; // prettier-ignore
  const [q0, q1, q2] = [mix(p0, p1), mix(p1, p2), mix(p2, p3)];
  const [r0, r1] = [mix(q0, q1), mix(q1, q2)];
  const middle = mix(r0, r1);
  [a.ax, a.ay] = q0;
  [b.bx, b.by] = q2;
  const made = {
    id,
    x: middle[0],
    y: middle[1],
    bx: r0[0],
    by: r0[1],
    ax: r1[0],
    ay: r1[1],
    fin: a.fin + (b.fin - a.fin) * u,
    fout: a.fout + (b.fout - a.fout) * u,
    smooth: true,
  };
  const out = points.map((p, k) => (k === i ? a : k === j ? b : p));
  out.splice(i + 1, 0, made);
  return out;
}

// Handles along the line between the neighbours, or none.
/** @param {SplinePoint[]} points @param {number} i @param {boolean} smooth */
export function madeSmooth(points, i, smooth) {
  const p = points[i];
  if (!smooth) return { ...p, bx: p.x, by: p.y, ax: p.x, ay: p.y, smooth: false };
  const [a, b] = [points[(i + points.length - 1) % points.length], points[(i + 1) % points.length]];
  const long = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const [x, y] = [(b.x - a.x) / long, (b.y - a.y) / long];
  const [before, after] = [Math.hypot(p.x - a.x, p.y - a.y) / 3, Math.hypot(b.x - p.x, b.y - p.y) / 3];
  return { ...p, bx: p.x - x * before, by: p.y - y * before, ax: p.x + x * after, ay: p.y + y * after, smooth: true };
}

/** @param {number} id @param {number} x @param {number} y */
export const corner = (id, x, y) => ({
  id,
  x,
  y,
  bx: x,
  by: y,
  ax: x,
  ay: y,
  fin: 0,
  fout: 0,
  smooth: false,
});

const ARC = 0.5522848; // handles that make a quarter of a circle

export function ellipse(/** @type {Box} */ { x, y, width, height }) {
  const [a, b] = [width / 2, height / 2];
  /** @param {number} id @param {number} u @param {number} v @param {number} hu @param {number} hv */
  const at = (id, u, v, hu, hv) => ({
    id,
    x: x + u,
    y: y + v,
    bx: x + u + hu,
    by: y + v + hv,
    ax: x + u - hu,
    ay: y + v - hv,
    fin: 0,
    fout: 0,
    smooth: true,
  });
  return [at(0, 0, -b, -a * ARC, 0), at(1, a, 0, 0, -b * ARC), at(2, 0, b, a * ARC, 0), at(3, -a, 0, 0, b * ARC)];
}

export function corners(/** @type {Box} */ { x, y, width, height }) {
  const [a, b] = [width / 2, height / 2];
  return [corner(0, x - a, y - b), corner(1, x + a, y - b), corner(2, x + a, y + b), corner(3, x - a, y + b)];
}

export function rounded(/** @type {Box} */ box) {
  return roundedCorners(corners(box), 0.35 * Math.min(box.width, box.height) * 0.5).map((p, id) => ({ ...p, id }));
}

const NEAR = 0.05; // px within which a handle lies on its point
/** @param {number} x @param {number} y @param {SplinePoint} p */
const on = (x, y, p) => Math.hypot(x - p.x, y - p.y) < NEAR;
const sharp = (/** @type {SplinePoint} */ p) => !p.smooth && on(p.bx, p.by, p) && on(p.ax, p.ay, p);

// Corners between straight sides, as arcs of a radius; no arc takes more than half of a side. Rounded ones stay as they are.
/** @param {SplinePoint[]} points @param {number} radius @returns {SplinePoint[]} */
export function roundedCorners(points, radius) {
  let free = Math.max(-1, ...points.map((p) => p.id)) + 1;
  return points.flatMap((p, i) => {
    const [before, after] = [points[(i + points.length - 1) % points.length], points[(i + 1) % points.length]];
    const straight = sharp(p) && on(before.ax, before.ay, before) && on(after.bx, after.by, after);
    const [back, ahead] = [Math.hypot(before.x - p.x, before.y - p.y), Math.hypot(after.x - p.x, after.y - p.y)];
    const r = Math.min(radius, back / 2, ahead / 2);
    if (!straight || r < 0.5) return [p];
    const [x0, y0] = [p.x + ((before.x - p.x) * r) / back, p.y + ((before.y - p.y) * r) / back];
    const [x1, y1] = [p.x + ((after.x - p.x) * r) / ahead, p.y + ((after.y - p.y) * r) / ahead];
    return [
      { ...p, x: x0, y: y0, bx: x0, by: y0, ax: x0 + (p.x - x0) * ARC, ay: y0 + (p.y - y0) * ARC, smooth: true },
      { ...p, id: free++, x: x1, y: y1, bx: x1 + (p.x - x1) * ARC, by: y1 + (p.y - y1) * ARC, ax: x1, ay: y1, smooth: true },
    ];
  });
}

// The first corner that can be rounded.
export function roundable(/** @type {SplinePoint[]} */ points) {
  const rounder = roundedCorners(points, 1);
  return rounder.length > points.length ? points.find((p) => sharp(p) && rounder.some((q) => q.id === p.id && q.smooth)) : undefined;
}
