// Values over time, and what commands on their way make of a setup.
import assert from "node:assert/strict";
import { test } from "node:test";
import { easeShare, keyBefore, keyedAt } from "../../static/bench/keys.js";
import { keysPath, read, shown } from "../../static/bench/preview.js";

const KEYED = { keys: [{ frame: 10, value: 2, ease: "linear" }, { frame: 20, value: 6, ease: "hold" }, { frame: 40, value: 3, ease: "eased" }] }; // prettier-ignore

test("eases begin at 0, end at 1, and never go back", () => {
  for (const ease of ["linear", "eased", { x1: 0.9, y1: 0, x2: 0.1, y2: 1 }]) {
    let before = 0;
    for (let time = 0; time <= 1.0001; time += 0.05) {
      const now = easeShare(ease, Math.min(1, time));
      assert.ok(now >= before - 1e-9);
      before = now;
    }
    assert.ok(Math.abs(easeShare(ease, 0)) < 1e-6 && Math.abs(easeShare(ease, 1) - 1) < 1e-6);
  }
});

test("ease-in-out is even about its middle (W3C, CSS Easing Functions Level 1)", () => {
  assert.ok(Math.abs(easeShare("eased", 0.5) - 0.5) < 1e-9);
  for (const time of [0.1, 0.3, 0.45]) assert.ok(Math.abs(easeShare("eased", time) + easeShare("eased", 1 - time) - 1) < 1e-6);
});

test("distances are mixed as light does it, in dioptres; other numbers evenly", () => {
  assert.ok(Math.abs(1 / keyedAt(KEYED, 15, "distance") - (1 / 2 + 1 / 6) / 2) < 1e-12);
  assert.equal(keyedAt(KEYED, 15, "width"), 4);
});

test("a value holds before its first key, behind its last, and where it is said to", () => {
  assert.deepEqual([0, 10, 25, 39, 40, 99].map((frame) => keyedAt(KEYED, frame, "width")), [2, 2, 6, 6, 3, 3]); // prettier-ignore
  assert.deepEqual([9, 10, 39, 40].map((frame) => keyBefore(KEYED.keys, frame)), [-1, 0, 1, 2]); // prettier-ignore
});

const SETUP = {
  subjects: [
    { id: "aaaa", standing: null, distance: { keys: [{ frame: 0, value: 2 }] }, refine: { grow: 0 } },
    { id: "bbbb", standing: { on: "quay", by_hand: null }, distance: { keys: [{ frame: 0, value: 2 }] } },
  ],
  lens: { f_number: { keys: [{ frame: 0, value: 2 }] } },
};

test("what a command does not touch is shared, and the setup before it stays as it is", () => {
  const before = structuredClone(SETUP);
  const after = shown(SETUP, [{ do: "put", path: "subjects.aaaa.refine.grow", value: 3 }]);
  assert.deepEqual(SETUP, before);
  assert.equal(read(after, "subjects.aaaa.refine.grow"), 3);
  assert.ok(after.lens === SETUP.lens && after.subjects[1] === SETUP.subjects[1]);
});

test("a subject that stands on a ground is corrected, not keyed, and the last correction may go", () => {
  assert.equal(keysPath(SETUP, "subjects.bbbb.distance"), "subjects.bbbb.standing.by_hand");
  const said = shown(SETUP, [{ do: "set-at", path: "subjects.bbbb.distance", frame: 5, value: 4 }]);
  assert.deepEqual(said.subjects[1].standing.by_hand.keys.map((key) => [key.frame, key.value]), [[5, 4]]); // prettier-ignore
  const gone = shown(said, [{ do: "drop-keys", path: "subjects.bbbb.distance", frames: [5] }]);
  assert.equal(gone.subjects[1].standing.by_hand, null);
});

test("a command that the page does not know, or on what is not there, changes nothing it shows", () => {
  assert.ok(
    shown(SETUP, [
      { do: "add-mark", id: "aa" },
      { do: "put", path: "subjects.cccc.name", value: "x" },
    ]) === SETUP,
  );
});
