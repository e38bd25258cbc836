// Maps of the plane and closed splines, as the overlay computes them.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  about,
  apply,
  boxOf,
  carried,
  corners,
  ellipse,
  madeSmooth,
  roundable,
  roundedCorners,
  shift,
  split,
  stretch,
  times,
  turn,
} from "../../static/bench/plane.js";

const near = (a, b, most = 1e-9) => a.forEach((one, i) => assert.ok(Math.abs(one - b[i]) < most, `${a} is not ${b}`));
const MAP = times(shift(40, -7), times(turn(33), stretch(1.7, 0.6)));
const TILTED = [...MAP.slice(0, 6), 0.0004, -0.0002, 1];
const LINE = ellipse({ x: 100, y: 80, width: 60, height: 40 });

// A place of a segment, by de Casteljau's construction (P. de Casteljau; G. Farin, Curves and Surfaces for CAGD, from memory).
function placed(points, i, u) {
  const [a, b] = [points[i], points[(i + 1) % points.length]];
  let row = [[a.x, a.y], [a.ax, a.ay], [b.bx, b.by], [b.x, b.y]]; // prettier-ignore
  while (row.length > 1) row = row.slice(1).map(([x, y], k) => [row[k][0] + (x - row[k][0]) * u, row[k][1] + (y - row[k][1]) * u]);
  return row[0];
}

test("one map after the other is their product", () => {
  near(apply(times(TILTED, MAP), 5, 6), apply(TILTED, ...apply(MAP, 5, 6)));
});

test("a turn by a quarter goes clockwise on a screen, and about a place it leaves that place", () => {
  near(apply(turn(90), 1, 0), [0, 1]);
  near(apply(about(7, 9, turn(123)), 7, 9), [7, 9]);
});

test("a line that is split is the same line with a point more", () => {
  const points = split(LINE, 1, 0.3, 77);
  assert.equal(points.length, LINE.length + 1);
  assert.equal(points[2].id, 77);
  for (const u of [0, 0.25, 0.5, 1]) {
    near(placed(points, 1, u), placed(LINE, 1, 0.3 * u), 1e-6);
    near(placed(points, 2, u), placed(LINE, 1, 0.3 + 0.7 * u), 1e-6);
  }
});

test("an ellipse is round to a thousandth, and its box is what was asked for", () => {
  for (let i = 0; i < LINE.length; i++)
    for (const u of [0, 0.2, 0.5, 0.9]) {
      const [x, y] = placed(LINE, i, u);
      assert.ok(Math.abs(Math.hypot((x - 100) / 30, (y - 80) / 20) - 1) < 1e-3);
    }
  const { x, y, width, height } = boxOf(LINE);
  near([x, y, width, height], [100, 80, 60, 40], 0.2);
});

test("what is carried along keeps its handles, ids and feathers", () => {
  const [first] = carried(MAP, LINE);
  near([first.bx, first.by], apply(MAP, LINE[0].bx, LINE[0].by));
  assert.deepEqual([first.id, first.fin, first.smooth], [LINE[0].id, LINE[0].fin, LINE[0].smooth]);
});

test("a smooth point has its handles in line, a corner has none", () => {
  const four = [0, 1, 2, 3].map((id) => ({ ...LINE[0], id, x: id % 2 ? 10 : 0, y: id > 1 ? 10 : 0 }));
  const smooth = madeSmooth(four, 1, true);
  assert.ok(Math.abs((smooth.ax - smooth.x) * (smooth.by - smooth.y) - (smooth.ay - smooth.y) * (smooth.bx - smooth.x)) < 1e-9);
  const sharp = madeSmooth(four, 1, false);
  near([sharp.ax, sharp.ay, sharp.bx, sharp.by], [sharp.x, sharp.y, sharp.x, sharp.y]);
});

test("rounded corners are arcs of the radius, and no arc takes more than half of a side", () => {
  const box = corners({ x: 50, y: 40, width: 100, height: 60 });
  const rounder = roundedCorners(box, 20);
  assert.equal(rounder.length, 8);
  assert.equal(new Set(rounder.map((p) => p.id)).size, 8);
  // The corner at the upper left: its arc's centre lies 20 px inside, and every place of it 20 px from there.
  for (const u of [0.25, 0.5, 0.75]) {
    const [x, y] = placed(rounder, 0, u);
    assert.ok(Math.abs(Math.hypot(x - 20, y - 30) - 20) < 0.02);
  }
  assert.deepEqual(roundedCorners(rounder, 20), rounder); // what is round stays as it is
  const most = roundedCorners(box, 1000);
  assert.ok(most.every((p) => p.x >= 0 && p.x <= 100 && p.y >= 10 && p.y <= 70));
  assert.equal(roundable(box).id, 0);
  assert.equal(roundable(rounder), undefined);
});
