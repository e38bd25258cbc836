// Found mattes on this page: brush marks, a line drawn around, people, and files brought in.
import { askJson, csrfToken, Refusal } from "../design/scripts/server.js";
import { bare, countOf } from "./document.js";
import { work } from "./following.js";
import { foundMatte, here, keyAt, keyHere } from "./found.js";
import { fitLine, newId } from "./lines.js";
import { pen } from "./pen.js";
import { svg } from "./svg.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const brush = () => window.Alpine.store("brush");

const round = (/** @type {number} */ value) => Math.round(value * 10) / 10;
/** @type {Record<string, string>} */
const WORDS = {
  keep: "Stroke over what belongs to the subject. [ and ] change the width, Escape leaves.",
  drop: "Stroke over what does not belong to it. [ and ] change the width, Escape leaves.",
  around: "Draw around the subject in one stroke. Escape leaves.",
  point: "Press on the person to find. Escape leaves.",
};

// A new subject whose matte is still to be found.
export function newSubject(name = "") {
  const id = newId();
  const added = shot().commit({ do: "add-subject", id, name, frame: viewer().frame });
  shot().chosen = id;
  shot().line = "";
  shot().points = [];
  return added;
}

const puttingKey = (/** @type {Spot} */ { subject, frame }, /** @type {object} */ key) => ({ do: "put-matte-key", subject, key: { ...key, frame } });
const droppingKey = (/** @type {Spot} */ { subject, frame }) => ({ do: "drop-matte-keys", subject, first: frame, last: frame });
const gone = (/** @type {Spot} */ { subject }) => !shot().subject(subject);
/** @param {Spot} a @param {Spot} b */
const samePlace = (a, b) => a.subject === b.subject && a.frame === b.frame;

export function createBrush() {
  return {
    /** @type {string | null} */
    tool: null,
    width: Math.max(4, Math.round(shot().clip.width / 55)), // px of the source
    carefully: true, // how people are found
    /** @type {Place[]} */
    stroke: [],
    /** @type {Place | null} */
    at: null,
    /** @type {{ at: any; stroke: any }[]} */
    made: [], // marks whose matte is still being found
    waiting: 0,
    /** @type {Promise<void>} */
    queue: Promise.resolve(),

    start(/** @type {string | null} */ tool) {
      pen().stop();
      this.tool = tool;
      this.stroke = [];
      if (!tool) return;
      viewer().playing = false;
      if (tool !== "point" && !["overlay", "matte"].includes(viewer().view)) viewer().look("overlay");
    },
    get active() {
      return this.tool !== null;
    },
    get words() {
      if (this.waiting > 0) return "Finding the matte.";
      return WORDS[this.tool ?? ""] ?? "";
    },
    wider(/** @type {number} */ by) {
      this.width = Math.min(800, Math.max(1, Math.round(this.width * by)));
    },
    /** @param {Place} place @param {Pointed} event @param {Surface} surface */
    down(place, event, surface) {
      if (this.tool === "point") {
        this.start(null);
        people({ frame: viewer().frame, x: round(place.x), y: round(place.y) });
        return;
      }
      this.stroke = [place];
      const at = here();
      const add = (/** @type {Place} */ to) => (this.stroke = [...this.stroke, to]);
      surface.track(event, add, () => {
        const points = bare(this.stroke).map(({ x, y }) => /** @type {Pair} */ ([round(x), round(y)]));
        this.stroke = [];
        if (this.tool === "around") this.around(points, at);
        else this.mark({ keep: this.tool === "keep", width: this.width, points: thinned(points) }, at);
      });
    },
    // One after the other: each mark mends what the one before made.
    inTurn(/** @type {() => unknown} */ todo) {
      this.waiting += 1;
      this.queue = this.queue
        .then(async () => void (await todo()))
        .catch((refusal) => void toast(refusal.message, true))
        .finally(() => {
          this.waiting -= 1;
        });
      return this.queue;
    },
    mark(/** @type {Api["Stroke"]} */ stroke, at = here()) {
      this.made = [...this.made, { at, stroke }];
      this.inTurn(async () => {
        if (gone(at)) return;
        const key = keyAt(at);
        // Without a key here the marks mend what was found, which the server knows.
        const under = key ? (key.drawn && key.marks.length === 0 ? key.matte : key.under) : undefined;
        await this.find(at, [...(key?.marks ?? []), stroke], under, key?.drawn ?? null);
      }).then(() => (this.made = this.made.slice(1)));
    },
    unmark(/** @type {number} */ index) {
      const at = here();
      this.inTurn(async () => {
        const key = keyAt(at);
        if (!key) return;
        const marks = key.marks.filter((_, i) => i !== index);
        if (marks.length) await this.find(at, marks, key.under, key.drawn);
        else if (key.drawn) await shot().commit(puttingKey(at, { ...key, marks: [], matte: key.under, under: null }));
        else await shot().commit(droppingKey(at));
      });
    },
    /** @param {Spot} at @param {Api["Stroke"][]} marks @param {any} under @param {any} drawn */
    async find(at, marks, under, drawn) {
      const mends = under === undefined ? { base: shot().saved.revision, subject: at.subject } : null;
      const found = await askJson("POST", shot().url("mattes/marks"), { frame: at.frame, marks, under: under ?? null, mends }, undefined, true);
      await shot().commit(puttingKey(at, { marks, drawn, under: found.under, matte: found.matte }));
    },
    /** @param {Pair[]} points @param {Spot} at */
    around(points, at) {
      this.inTurn(async () => {
        const curve = await fitLine(points, Math.min(50, Math.max(0.5, 2.5 / viewer().scale)));
        const { matte } = await askJson("POST", shot().url("mattes/line"), { curve }, undefined, true);
        await shot().commit(puttingKey(at, { marks: [], drawn: curve, under: null, matte }));
      });
    },
    key(/** @type {Pressed} */ event) {
      /** @type {Record<string, () => void>} */
      const actions = { Escape: () => this.start(null), "[": () => this.wider(0.8), "]": () => this.wider(1.25) };
      if (!actions[event.key]) return false;
      event.preventDefault();
      actions[event.key]();
      return true;
    },
    // What lies over the picture: the marks of this frame, and the one that is being made.
    parts() {
      const parts = (keyHere()?.marks ?? []).map((mark) => line(mark.points, mark.width, mark.keep));
      for (const { at, stroke } of this.made) if (samePlace(at, here())) parts.push(line(stroke.points, stroke.width, stroke.keep));
      if (this.stroke.length) {
        const points = this.stroke.map((p) => /** @type {Pair} */ ([p.x, p.y]));
        if (this.tool === "around") parts.push(svg("polyline", { class: "shape-line ink-3 drawn", points: points.join(" ") }));
        else parts.push(line(points, this.width, this.tool === "keep"));
      }
      if (["keep", "drop", "point"].includes(this.tool ?? "")) {
        const { x, y } = this.tip;
        const name = this.tool === "point" ? "Arrows move it, Enter finds the person there" : `Arrows move the brush, Enter marks what to ${this.tool}`;
        parts.push(
          svg("circle", { class: "brush-tip", cx: x, cy: y, r: this.width / 2, tabindex: 0, role: "button", "data-act": "brush", "aria-label": name }),
        );
      }
      return parts;
    },
    get tip() {
      return this.at ?? { x: shot().clip.width / 2, y: shot().clip.height / 2 };
    },
    // The brush by keys: it is moved, and marks a dot.
    tipKey(/** @type {Pressed} */ event) {
      const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!by && event.key !== "Enter") return;
      event.preventDefault();
      event.stopPropagation();
      const far = event.shiftKey ? 20 : 4;
      const { x, y } = this.tip;
      if (by) {
        this.at = { x: Math.min(shot().clip.width, Math.max(0, x + by[0] * far)), y: Math.min(shot().clip.height, Math.max(0, y + by[1] * far)) };
        return;
      }
      if (this.tool === "point") {
        this.start(null);
        people({ frame: viewer().frame, x: round(x), y: round(y) });
      } else this.mark({ keep: this.tool === "keep", width: this.width, points: [[round(x), round(y)]] });
    },
  };
}

/** @param {Pair[]} points @param {number} width @param {boolean} keep */
const line = (points, width, keep) =>
  svg("polyline", { class: keep ? "mark-keep" : "mark-drop", points: (points.length > 1 ? points : [points[0], points[0]]).join(" "), "stroke-width": width });

// A stroke as few places, none nearer to the last than a few px.
function thinned(/** @type {Pair[]} */ points) {
  const out = [points[0]];
  for (const point of points.slice(1)) {
    const last = out[out.length - 1];
    if (Math.hypot(point[0] - last[0], point[1] - last[1]) > 3) out.push(point);
  }
  return out.slice(0, 4000);
}

export async function people(/** @type {object | null} */ spot) {
  const { first, last } = shot().setup.footage;
  await work().order({ what: "people", subject: shot().chosen, start: first, end: last, spot, carefully: brush().carefully });
}

// Send a file as a matte or a plate; what comes of it is watched like following.
/** @param {File} file @param {string} what @param {string} channel @param {string} [subject] */
export async function bring(file, what, channel, subject) {
  const body = new FormData();
  body.append("file", file);
  body.append("what", what);
  body.append("channel", channel);
  body.append("subject", subject ?? "");
  const answer = await fetch(shot().url("imports"), { method: "POST", headers: { "X-CSRFToken": csrfToken() }, body });
  const found = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Refusal(answer.status, found);
  await work().watch(found);
}

export const matteParts = {
  marks: () => ({
    channel: "luma",
    get drawn() {
      return shot().subject()?.matte.kind === "outline";
    },
    get found() {
      return shot().subject()?.matte.kind === "found";
    },
    get imported() {
      return shot().subject()?.matte.kind === "imported";
    },
    isTool(/** @type {string} */ tool) {
      return brush().tool === tool;
    },
    tool(/** @type {Given} */ event) {
      const { tool } = event.currentTarget.dataset;
      brush().start(brush().tool === tool ? null : tool);
    },
    get width() {
      return brush().width;
    },
    putWidth(/** @type {Given} */ event) {
      const value = Number(event.target.value);
      if (Number.isFinite(value)) brush().width = Math.min(800, Math.max(1, value));
      event.target.value = brush().width;
    },
    get active() {
      return brush().active || brush().waiting > 0;
    },
    get words() {
      return brush().words;
    },
    get list() {
      return (keyHere()?.marks ?? []).map((mark, i) => ({ i, name: `${i + 1}  ${mark.keep ? "keep" : "drop"}`, width: `${mark.width} px` }));
    },
    get keyWords() {
      const matte = foundMatte();
      if (!matte) return "";
      const key = keyHere();
      const frames = matte.keys.map((one) => one.frame);
      if (key?.drawn) return "A line was drawn around it on this frame.";
      if (key) return "";
      if (frames.length === 0 && countOf(matte.frames) === 0) return "Nothing is found yet. Stroke over the subject, or find people.";
      return frames.length ? `Made by hand at ${frames.length === 1 ? "frame" : "frames"} ${frames.join(", ")}.` : "";
    },
    get hasKey() {
      return Boolean(keyHere());
    },
    dropKey() {
      shot().commit(droppingKey(here()));
    },
    unmark(/** @type {Given} */ event) {
      brush().unmark(Number(event.currentTarget.dataset.index));
    },
    is(/** @type {string} */ value) {
      return brush().carefully === (value === "carefully");
    },
    choose(/** @type {Given} */ event) {
      brush().carefully = event.currentTarget.dataset.value === "carefully";
    },
    everybody() {
      brush().start(null);
      people(null);
    },
    get importWords() {
      const matte = shot().subject()?.matte;
      if (matte?.kind !== "imported") return "";
      const count = countOf(matte.frames);
      return `${matte.title || "A file"}: ${count} ${count === 1 ? "picture, for all frames" : "pictures"}.`;
    },
  }),

  newMatte: () => ({
    async brush() {
      await newSubject();
      brush().start("keep");
    },
    async people() {
      await newSubject("People");
      people(null);
    },
  }),

  bringing: () => ({
    channel: "luma",
    is(/** @type {string} */ value) {
      return this.channel === value;
    },
    choose(/** @type {Given} */ event) {
      this.channel = event.currentTarget.dataset.value;
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const { fresh, plate } = this.$root.dataset;
      try {
        const made = fresh === undefined ? null : newSubject(file.name.replace(/\.[^.]*$/, "").slice(0, 60));
        const subject = shot().chosen;
        await made;
        await shot().settled();
        await (plate !== undefined ? bring(file, "plate-file", "colour") : bring(file, "matte-file", this.channel, subject));
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
  }),

  plate: () => ({
    get words() {
      const { plate } = shot().setup;
      if (plate.source === "imported") return plate.imported ? `${plate.imported.title || "A file"}: ${countOf(plate.imported.frames)} pictures.` : "";
      if (plate.source === "filled") return "Filled from its surroundings. Recover it, and what other frames show is used.";
      const { first, last } = shot().setup.footage;
      const count = Math.min(countOf(plate.patches), last - first + 1);
      return count ? `Recovered at ${count} of ${last - first + 1} frames. What no frame shows is filled: look at Seen.` : "Nothing is recovered yet.";
    },
    get hasImported() {
      return Boolean(shot().setup.plate.imported);
    },
    recover() {
      const { first, last } = shot().setup.footage;
      work().order({ what: "plate", start: first, end: last });
    },
  }),
};
