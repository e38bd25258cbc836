// What the stages' sheets show besides their fields.
import { askJson } from "../design/scripts/server.js";
import { bare, fullPath, outlinesOf } from "./document.js";
import { ordered } from "./drag.js";
import { keyedAt } from "./keys.js";
import { brush } from "./marks.js";
import { lines, puttingPlacement, puttingPoints } from "./lines.js";
import { pen } from "./pen.js";
import { about, boxOf, carried, roundedCorners, shift, stretch, turn } from "./plane.js";
import { pointing } from "./pull.js";
import { toast } from "./toasts.js";
import { metres, pixels } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const now = () => shot().at(viewer().frame);

/** @type {Record<string, string>} */
const JOINS = { add: "adds", "take-away": "takes away", overlap: "keeps the overlap" };

/** @type {Record<string, string>} */
const ACTS = { "cut-out": "own layer", zone: "soft zone", region: "region" };

/** @type {Record<string, string>} */
const KIND_WORDS = {
  lens: "Points become discs, as large as distance says.",
  gaussian: "Points become soft and even, as wide as their discs.",
  along: "Points become lines in one direction, as long as their discs are wide.",
  outwards: "Points become lines away from a centre, longer farther out.",
  around: "Points become lines around a centre, longer farther out.",
};

export const sheets = {
  blurKind: () => ({
    get words() {
      const { form: kind } = shot().setup.lens.blur;
      return KIND_WORDS[kind];
    },
    get along() {
      return shot().setup.lens.blur.form === "along";
    },
    get centred() {
      return ["outwards", "around"].includes(shot().setup.lens.blur.form);
    },
    get centre() {
      const { centre } = shot().setup.lens.blur;
      if (!centre) return "";
      const at = keyedAt(bare(centre), viewer().frame, "place");
      return Array.isArray(at) ? `${Math.round(at[0])}, ${Math.round(at[1])} px` : "";
    },
    get pointWords() {
      return pointing().what === "centre" ? "Press on the picture" : "Point at the centre";
    },
    point() {
      pointing().what = pointing().what === "centre" ? "pull" : "centre";
    },
    middle() {
      shot().commit({ do: "put-place", path: "lens.blur.centre" });
    },
  }),

  setupFile: () => ({
    get href() {
      return `/shots/${shot().id}/setup.json`;
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      try {
        const setup = JSON.parse(await file.text());
        await shot().settled();
        shot().adopt(await askJson("PUT", shot().url("setup"), { base: shot().saved.revision, setup }));
        toast(`${file.name} was put in force. Undo brings back what was there.`);
      } catch (/** @type {any} */ refusal) {
        toast(refusal instanceof SyntaxError ? "This file is no JSON. The setup is unchanged." : refusal.message, true);
      }
    },
  }),

  stillLength: () => ({
    get shown() {
      return shot().isStill;
    },
    get seconds() {
      const { first, last } = shot().setup.footage;
      return Number(((last - first + 1) / shot().clip.rate).toFixed(2));
    },
    put(/** @type {Given} */ event) {
      const frames = Math.round(Number(event.target.value) * shot().clip.rate);
      if (frames > 0) shot().commit({ do: "set-range", last: shot().setup.footage.first + frames - 1 });
      else event.target.value = String(this.seconds);
    },
  }),

  clipFacts: () => ({
    get rows() {
      const { clip } = shot();
      return [
        { name: "Picture", value: `${clip.width} x ${clip.height} px` },
        { name: shot().isStill ? "Longest" : "Length", value: `${clip.frames} frames, ${clip.seconds.toFixed(2)} s` },
        { name: "Rate", value: `${clip.rate_text} frames/s` },
        { name: "Codec", value: `${clip.codec}, ${clip.bits} bit` },
        { name: "Sound", value: clip.sound ?? "none" },
      ];
    },
    get notes() {
      return shot().clip.notes;
    },
    get rangeWords() {
      const { first, last } = shot().setup.footage;
      return `${last - first + 1} frames, ${shot().clip.timecodes[first]} to ${shot().clip.timecodes[last]}`;
    },
  }),

  subjects: () => ({
    get none() {
      return shot().setup.subjects.length === 0;
    },
    get some() {
      return !this.none;
    },
    get chosen() {
      return Boolean(shot().subject());
    },
    // A region has no distance: it only says where sources hold.
    get placed() {
      return shot().subject()?.acts !== "region";
    },
    get name() {
      return shot().subject()?.name ?? "";
    },
    get list() {
      const at = now();
      return shot().setup.subjects.map((one) => ({
        id: one.id,
        name: one.name,
        inkClass: `ribbon-${one.ink} ribbon`,
        acts: one.enabled ? ACTS[one.acts] : "off",
        metres: one.acts === "region" ? "" : metres(at?.subjects[one.id]?.distance ?? one.distance.keys[0].value),
        chosen: one.id === shot().chosen,
        row: one.id === shot().chosen ? "bg-hair" : "",
      }));
    },
    select(/** @type {Given} */ event) {
      shot().chosen = event.currentTarget.dataset.id;
      shot().line = outlinesOf(shot().subject())[0]?.id ?? "";
      shot().points = [];
      brush().start(null);
      viewer().subjectChanged();
    },
    begin(/** @type {Given} */ event) {
      const { tool } = event.currentTarget.dataset;
      brush().start(null);
      if (["draw", "freehand", "region"].includes(tool)) pen().start(tool);
      else {
        pen().start("select");
        pen().add(pen().shape(tool), undefined, tool === "corners" ? "closely" : "roughly");
      }
    },
    // A soft region that is ready made: a half of the picture, or all but a round hole.
    ready(/** @type {Given} */ event) {
      const kind = event.currentTarget.dataset.ready;
      brush().start(null);
      pen().start("select");
      const inverted = (/** @type {string} */ id) => [{ do: "put", path: `subjects.${id}.refine.invert`, value: true }];
      pen().add(pen().shape(kind), undefined, "soft-region", kind === "hole" ? inverted : undefined);
    },
    get drawing() {
      return pen().drawing;
    },
    get penWords() {
      return pen().words;
    },
    leave() {
      pen().stop();
    },
    rename(/** @type {Given} */ event) {
      const name = event.target.value.trim().slice(0, 60);
      if (!name) {
        event.target.value = this.name;
        return;
      }
      shot().commit({ do: "put", path: fullPath("@.name"), value: name });
    },
    remove() {
      shot().commit({ do: "remove-subject", id: shot().chosen, frame: viewer().frame });
    },
  }),

  outlines: () => ({
    ...ordered((id, to) => shot().commit({ do: "reorder", path: fullPath("@.matte.outlines"), id, to })),
    get list() {
      return outlinesOf(shot().subject()).map((one, i) => ({
        id: one.id,
        name: `Outline ${i + 1}`,
        joins: i === 0 ? "the first" : JOINS[one.joins],
        chosen: one.id === shot().line,
        row: one.id === shot().line ? "bg-hair" : "",
      }));
    },
    get later() {
      return outlinesOf(shot().subject()).findIndex((one) => one.id === shot().line) > 0;
    },
    get several() {
      return outlinesOf(shot().subject()).length > 1;
    },
    select(/** @type {Given} */ event) {
      shot().line = event.currentTarget.dataset.id;
      shot().points = [];
    },
    begin(/** @type {Given} */ event) {
      pen().start(event.currentTarget.dataset.tool, event.currentTarget.dataset.joins);
    },
    remove() {
      shot().commit({ do: "remove-outline", subject: shot().chosen, outline: shot().line });
    },
  }),

  // Typed numbers of the whole outline, or of the points that are chosen.
  lineNumbers: () => ({
    get points() {
      return lines().points(shot().line);
    },
    get any() {
      return this.points.length > 2;
    },
    get box() {
      return this.any ? boxOf(this.points) : { x: 0, y: 0, width: 0, height: 0 };
    },
    get picked() {
      return this.points.filter((p) => shot().points.includes(p.id));
    },
    get somePicked() {
      return this.picked.length > 0;
    },
    get pickedWords() {
      return this.picked.length === 1 ? "One point" : `${this.picked.length} points`;
    },
    of(/** @type {string} */ what) {
      const [first] = this.picked;
      /** @type {Record<string, number>} */
      const values = { px: first?.x ?? 0, py: first?.y ?? 0, pin: first?.fin ?? 0, pout: first?.fout ?? 0, turn: 0, round: 0, ...this.box };
      return values[what].toFixed(1).replace(/\.0$/, "");
    },
    put(/** @type {Given} */ event) {
      const { what } = event.target.dataset;
      const value = Number(event.target.value.trim().replace(",", "."));
      if (!Number.isFinite(value) || event.target.value.trim() === "" || !this.any) {
        event.target.value = this.of(what);
        return;
      }
      const { box, points } = this;
      if (what.startsWith("p")) this.putPoints(what, value);
      else if (what === "round") {
        const rounder = roundedCorners(points, Math.max(0, value));
        const change = puttingPoints(shot().line, rounder);
        lines().hold(shot().line, rounder);
        shot().commit(change);
        event.target.value = this.of(what);
      } else {
        /** @type {Record<string, () => Matrix>} */
        const motions = {
          x: () => shift(value - box.x, 0),
          y: () => shift(0, value - box.y),
          width: () => about(box.x, box.y, stretch(Math.max(1, value) / box.width, 1)),
          height: () => about(box.x, box.y, stretch(1, Math.max(1, value) / box.height)),
          turn: () => about(box.x, box.y, turn(value)),
        };
        const motion = motions[what]();
        const change = puttingPlacement([shot().line], motion);
        lines().hold(shot().line, carried(motion, points));
        shot().commit(change);
        event.target.value = this.of(what);
      }
    },
    /** @param {string} what @param {any} value */
    putPoints(what, value) {
      const [first] = this.picked;
      const chosen = new Set(shot().points);
      const dx = what === "px" ? value - first.x : 0;
      const dy = what === "py" ? value - first.y : 0;
      /** @type {Record<string, string>} */
      const softness = { pin: "fin", pout: "fout" };
      const soft = softness[what];
      const points = this.points.map((p) => {
        if (!chosen.has(p.id)) return p;
        return soft ? { ...p, [soft]: Math.min(400, Math.max(0, value)) } : carried(shift(dx, dy), [p])[0];
      });
      const change = puttingPoints(shot().line, points);
      lines().hold(shot().line, points);
      shot().commit(change);
    },
  }),

  sensorSizes: () => ({
    get chosen() {
      const width = String(shot().setup.lens.sensor_width_mm);
      return Array.from(this.$root.querySelectorAll("option"), (one) => one.value).includes(width) ? width : "";
    },
    choose(/** @type {Given} */ event) {
      const width = Number(event.target.value);
      if (width) shot().commit({ do: "put", path: "lens.sensor_width_mm", value: width });
    },
  }),

  irisPicture: () => ({
    get path() {
      const points = shot().reading?.iris ?? [];
      return points.length ? `M${points.map(([x, y]) => `${x.toFixed(3)} ${y.toFixed(3)}`).join("L")}Z` : "";
    },
    get words() {
      const { blades } = shot().setup.lens.iris;
      return blades === 0 ? "0 blades: a disc." : `${blades} blades.`;
    },
  }),

  heldRange: () => ({
    get on() {
      return Boolean(shot().setup.lens.held);
    },
    flip(/** @type {Given} */ event) {
      const { near, far } = now()?.lens ?? { near: 1, far: 3 };
      const ends = { near: Number(near.toFixed(2)), far: Number((far ?? 100).toFixed(2)) };
      shot().commit({ do: "hold-range", ...(event.target.checked ? ends : {}) });
    },
    get rides() {
      return Boolean(shot().setup.lens.held?.rides);
    },
    get stays() {
      return this.on && !this.rides;
    },
    ride(/** @type {Given} */ event) {
      shot().commit({ do: "ride-range", on: event.target.checked });
    },
  }),

  opening: () => ({
    get byNumber() {
      return shot().setup.lens.aperture === "f-number";
    },
    get bySoftness() {
      return !this.byNumber;
    },
    get otherWords() {
      const at = now();
      if (!at) return "";
      const what = at.lens.backdrop_named ? "The backdrop" : "There is no backdrop; the farthest";
      return this.byNumber
        ? `${what} at ${metres(at.lens.backdrop)} opens to discs of ${pixels(at.lens.softness)}.`
        : `That is f/${at.lens.f_number.toFixed(2)} with this lens and focus.`;
    },
    get rows() {
      const at = now();
      if (!at) return [];
      return [
        { name: "f-number", value: `f/${at.lens.f_number.toFixed(2)}` },
        { name: "Backdrop softness", value: pixels(at.lens.softness) },
        { name: "Near limit", value: metres(at.lens.near) },
        { name: "Far limit", value: metres(at.lens.far) },
        { name: "Hyperfocal distance", value: metres(at.lens.hyperfocal) },
      ];
    },
  }),
};
