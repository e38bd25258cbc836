// The outlines over the picture: drawn where the server says they lie at this frame, changed by handles and keys.
import { bare, outlinesOf } from "./document.js";
import { dragged } from "./drag.js";
import { lines, puttingPlacement, puttingPoints } from "./lines.js";
import { brush } from "./marks.js";
import { pen, ring } from "./pen.js";
import { about, along, boxOf, carried, madeSmooth, pathOf, roundable, roundedCorners, shift, split, stretch, turn } from "./plane.js";
import { focusedIn, svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const LEAST = 0.02; // least share to which an outline is scaled in one go

const HANDLES = [
  { id: "e", u: 1, v: 0, name: "right edge" },
  { id: "s", u: 0, v: 1, name: "lower edge" },
  { id: "w", u: -1, v: 0, name: "left edge" },
  { id: "n", u: 0, v: -1, name: "upper edge" },
  { id: "se", u: 1, v: 1, name: "lower right corner" },
  { id: "sw", u: -1, v: 1, name: "lower left corner" },
  { id: "ne", u: 1, v: -1, name: "upper right corner" },
  { id: "nw", u: -1, v: -1, name: "upper left corner" },
];

// The opposite side stays where it is, unless the whole is scaled about its centre.
/** @param {Box} box @param {{ u: number; v: number }} handle @param {number} dx @param {number} dy @param {boolean} centred */
function scaling(box, handle, dx, dy, centred) {
  const share = centred ? 2 : 1;
  const x = handle.u ? Math.max(LEAST, (box.width + handle.u * dx * share) / box.width) : 1;
  const y = handle.v ? Math.max(LEAST, (box.height + handle.v * dy * share) / box.height) : 1;
  const [x0, y0] = centred ? [box.x, box.y] : [box.x - (handle.u * box.width) / 2, box.y - (handle.v * box.height) / 2];
  return about(x0, y0, stretch(x, y));
}

const LEAST_KNOB = 11; // px of the screen that a feather's knob lies off the line at least

// The place of an outline that lies farthest to the lower right, with its way outwards.
function lowerRight(/** @type {SplinePoint[]} */ points) {
  return along(points, 4).reduce((best, p) => (p.x + p.y > best.x + best.y ? p : best));
}

const freeId = (/** @type {SplinePoint[]} */ points) => Math.max(-1, ...points.map((p) => p.id)) + 1;

export const overlay = () => ({
  /** @type {Box | null} */
  band: null, // a rectangle that selects points
  /** @type {DOMRect | null} */
  box: null,
  /** @type {(string | undefined)[] | null} */
  focused: null,
  dragging: false,
  init() {
    window.Alpine.effect(() => this.visible && lines().fetch());
    window.Alpine.effect(() => this.draw());
    this.$el.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.down(event));
    this.$el.addEventListener("pointermove", (/** @type {Pointed} */ event) => this.hover(event));
    this.$el.addEventListener("dblclick", (/** @type {Pointed} */ event) => this.twice(event));
    this.$el.addEventListener("keydown", (/** @type {Pressed} */ event) => this.key(event));
  },
  get visible() {
    return shot().stage === "subjects" && !viewer().playing && !["edges", "plate", "behind", "seen"].includes(viewer().view);
  },

  hover(/** @type {Pointed} */ event) {
    if (pen().drawing) pen().at = this.place(event);
    if (brush().active) brush().at = this.place(event);
  },
  draw() {
    if (!this.visible) return;
    void lines().wanted;
    const inside = focusedIn(this.$el);
    if (inside) this.focused = [inside.dataset.act, inside.dataset.id, inside.dataset.point];
    else if (document.activeElement !== document.body) this.focused = null;
    const { width, height } = shot().clip;
    const parts = [svg("rect", { class: "shape-ground", width, height, "data-act": "ground" })];
    if (lines().shown) for (const one of shot().setup.subjects) parts.push(...this.subject(one));
    if (pen().drawing) parts.push(...pen().parts());
    if (lines().shown) parts.push(...this.doubt());
    parts.push(...brush().parts());
    if (this.band) parts.push(svg("rect", { class: "shape-ring ink-1", ...this.band }));
    this.$el.replaceChildren(...parts);
    this.$el.classList.toggle("pen", pen().drawing || brush().active);
    // Every node is a new one: the keyboard stays where it was, once the pointer has let go.
    if (this.focused && !this.dragging) {
      const [act, id, point] = this.focused;
      this.$el.querySelector(`[data-act="${act}"]${id ? `[data-id="${id}"]` : ""}${point ? `[data-point="${point}"]` : ""}`)?.focus({ preventScroll: true });
    }
  },
  // Where the chosen subject is in doubt at this frame.
  doubt() {
    const place = lines().doubts[shot().chosen];
    if (!place) return [];
    const [cx, cy, r] = place;
    return [svg("circle", { class: "doubt", cx, cy, r, role: "img", "aria-label": "The matte is in doubt here" })];
  },
  subject(/** @type {Api["Subject"]} */ one) {
    /** @type {SVGElement[]} */
    const parts = [];
    const chosen = one.id === shot().chosen;
    const ink = `ink-${one.ink}`;
    outlinesOf(one).forEach((outline, i) => {
      const points = lines().points(outline.id, one.id);
      if (points.length < 3) return;
      const d = pathOf(points);
      const picked = chosen && outline.id === shot().line;
      parts.push(svg("path", { class: "shape-halo", d }));
      parts.push(svg("path", { class: `shape-line ${ink} ${picked ? "picked" : ""}`, d, "data-act": "move", "data-id": one.id, "data-line": outline.id,
        tabindex: 0, role: "button", "aria-label": `Move ${one.name}${outlinesOf(one).length > 1 ? `, outline ${i + 1}` : ""}` })); // prettier-ignore
      if (chosen) parts.push(...this.rings(one, points, ink));
      if (picked && !pen().drawing) parts.push(...this.handles(one, points, ink), ...this.points(one, points, ink), ...this.feathers(one, points, ink));
    });
    return parts;
  },
  /** @param {Api["Subject"]} one @param {SplinePoint[]} points @param {string} ink */
  rings(one, points, ink) {
    const { grow, feather_in: inwards, feather_out: outwards } = one.refine;
    /** @type {SVGElement[]} */
    const rings = [];
    const own = points.some((p) => p.fin > 0 || p.fout > 0);
    const places = along(points, Math.max(2, Math.min(10, Math.round(400 / points.length))));
    /** @param {number} by @param {(p: Along) => number} of */
    const add = (by, of) => rings.push(svg("path", { class: `shape-ring ${ink}`, d: ring(places, by, of) }));
    if (inwards > 0 || own) add(grow - inwards, (p) => -p.fin);
    if (outwards > 0 || own) add(grow + outwards, (p) => p.fout);
    if (grow !== 0) add(grow, () => 0);
    return rings;
  },
  /** @param {Api["Subject"]} one @param {SplinePoint[]} points @param {string} ink */
  points(one, points, ink) {
    const size = 4 / viewer().scale;
    const selected = new Set(bare(shot().points));
    /** @type {SVGElement[]} */
    const parts = [];
    points.forEach((p, i) => {
      const common = { "data-id": one.id, "data-point": p.id, tabindex: 0, role: "button" };
      if (selected.has(p.id)) {
        for (const [act, x, y, name] of [
          ["before", p.bx, p.by, "handle before"],
          ["after", p.ax, p.ay, "handle after"],
        ]) {
          if (x === p.x && y === p.y && !p.smooth) continue;
          parts.push(svg("line", { class: `shape-lever ${ink}`, x1: p.x, y1: p.y, x2: x, y2: y }));
          parts.push(
            svg("circle", { ...common, class: `handle lever ${ink}`, cx: x, cy: y, r: size, "data-act": act, "aria-label": `Point ${i + 1}, ${name}` }),
          );
        }
      }
      const look = { ...common, class: `handle point ${ink} ${selected.has(p.id) ? "chosen" : ""}`, "data-act": "point",
        "aria-label": `Point ${i + 1} of ${points.length}, ${p.smooth ? "smooth" : "corner"}`, "aria-pressed": selected.has(p.id) }; // prettier-ignore
      parts.push(
        p.smooth
          ? svg("circle", { ...look, cx: p.x, cy: p.y, r: size })
          : svg("rect", { ...look, x: p.x - size, y: p.y - size, width: 2 * size, height: 2 * size }),
      );
    });
    return parts;
  },
  /** @param {Api["Subject"]} one @param {SplinePoint[]} points @param {string} ink */
  handles(one, points, ink) {
    if (shot().points.length) return [];
    const box = boxOf(points);
    const room = 12 / viewer().scale;
    const size = 4.5 / viewer().scale;
    const common = { class: `handle ${ink}`, tabindex: 0, role: "button", "data-id": one.id };
    const [w, h] = [box.width / 2 + room, box.height / 2 + room];
    const found = [svg("rect", { class: `shape-ring ${ink}`, x: box.x - w, y: box.y - h, width: 2 * w, height: 2 * h })];
    for (const handle of HANDLES) {
      const [x, y] = [box.x + handle.u * w, box.y + handle.v * h];
      found.push(
        svg("rect", {
          ...common,
          x: x - size,
          y: y - size,
          width: 2 * size,
          height: 2 * size,
          "data-act": `scale-${handle.id}`,
          "aria-label": `Scale ${one.name}: ${handle.name}`,
        }),
      );
    }
    const knob = { x: box.x, y: box.y - h - 20 / viewer().scale };
    found.push(svg("line", { class: `shape-lever ${ink}`, x1: box.x, y1: box.y - h, x2: knob.x, y2: knob.y }));
    found.push(svg("circle", { ...common, cx: knob.x, cy: knob.y, r: size * 1.2, "data-act": "turn", "aria-label": `Turn ${one.name}` }));
    return found;
  },

  // The knobs by which the rings of the feather are dragged, at the lower right of the outline.
  /** @param {Api["Subject"]} one @param {SplinePoint[]} points @param {string} ink */
  feathers(one, points, ink) {
    if (shot().points.length) return [];
    const { x, y, nx, ny } = lowerRight(points);
    const { grow, feather_in: inwards, feather_out: outwards } = one.refine;
    const [least, size] = [LEAST_KNOB / viewer().scale, 4.2 / viewer().scale];
    const corner = roundable(points);
    const middle = boxOf(points);
    const away = corner ? LEAST_KNOB / viewer().scale / Math.hypot(middle.x - corner.x, middle.y - corner.y) : 0;
    const knob = corner
      ? [svg("circle", { class: `handle ${ink}`, cx: corner.x + (middle.x - corner.x) * away, cy: corner.y + (middle.y - corner.y) * away, r: size, tabindex: 0, role: "button", "data-id": one.id, "data-act": "round", "aria-label": `Round the corners of ${one.name}` })] // prettier-ignore
      : [];
    const feathers = [
      { act: "feather-out", by: grow + Math.max(outwards, least), words: `Outer feather of ${one.name}, ${outwards} px` },
      { act: "feather-in", by: grow - Math.max(inwards, least), words: `Inner feather of ${one.name}, ${inwards} px` },
    ].map(
      ({ act, by, words }) =>
      svg("circle", { class: `handle lever ${ink}`, cx: x + nx * by, cy: y + ny * by, r: size, tabindex: 0, role: "button", "data-id": one.id, "data-act": act, "aria-label": words }), // prettier-ignore
    );
    return [...feathers, ...knob];
  },

  place(/** @type {Pointed} */ event) {
    const box = this.box ?? this.$el.getBoundingClientRect();
    const scale = shot().clip.width / box.width;
    return { x: (event.clientX - box.left) * scale, y: (event.clientY - box.top) * scale };
  },
  // Follow the pointer until it is let go.
  /** @param {Pointed} event @param {(place: Place, at: Pointed) => void} move @param {(moved: boolean) => void} [end] */
  track(event, move, end, still = 0) {
    this.box = this.$el.getBoundingClientRect(); // the picture stays where it is meanwhile
    const stop = (/** @type {boolean} */ moved) => {
      this.box = null;
      end?.(moved);
    };
    dragged(this.$el, event, (at) => move(this.place(at), at), stop, still);
  },
  /** @param {string} subject @param {string} line */
  choose(subject, line) {
    if (shot().chosen !== subject) {
      shot().chosen = subject;
      viewer().subjectChanged();
    }
    if (line && shot().line !== line) {
      shot().line = line;
      shot().points = [];
    }
  },
  down(/** @type {Pointed} */ event) {
    if (event.button !== 0 || viewer().panning) return;
    const from = this.place(event);
    const tool = brush().active ? brush() : pen().drawing ? pen() : null;
    if (tool) {
      event.preventDefault();
      tool.down(from, event, this);
      return;
    }
    const { act, id, line, point } = event.target.dataset ?? {};
    if (!act || lines().live) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    if (act === "ground") {
      this.select(from, event);
      return;
    }
    this.choose(id, line);
    if (act === "point") {
      const chosen = shot().points;
      const name = Number(point);
      if (event.shiftKey) shot().points = chosen.includes(name) ? chosen.filter((one) => one !== name) : [...chosen, name];
      else if (!chosen.includes(name)) shot().points = [name];
    }
    const outline = shot().line;
    const start = lines().points(outline);
    /** @type {{ change: Command; words: string; spot?: Place; at: Pointed } | null} */
    let latest = null;
    const show = () => {
      if (!latest) return;
      const { change, words, spot, at } = latest;
      latest = null;
      this.tag(words, at);
      if (spot) this.loupe(spot);
      shot().sketch(change);
    };
    this.track(
      event,
      (to, at) => {
        const { points, change, words, at: spot } = this.changed(act, outline, start, from, to, at, Number(point));
        lines().hold(outline, points);
        // A pointer may speak more often than the screen shows.
        this.dragging = true;
        if (!latest) requestAnimationFrame(show);
        latest = { change, words, spot, at };
      },
      (moved) => {
        show();
        this.dragging = false;
        this.tag("");
        this.loupe(null);
        if (moved) shot().commit();
      },
      2,
    );
  },
  // What a gesture makes of an outline: its points, the change of the setup, and the words beside the pointer.
  /**
   * @param {string} act
   * @param {string} outline
   * @param {SplinePoint[]} start
   * @param {Place} from
   * @param {Place} to
   * @param {Pointed | Pressed} event
   * @param {number} point
   */
  changed(act, outline, start, from, to, event, point) {
    const [dx, dy] = [to.x - from.x, to.y - from.y];
    /** @type {(motion: Matrix, words: string) => { points: SplinePoint[]; change: Command; words: string; at?: Place }} */
    const whole = (motion, words) => ({
      points: carried(motion, start),
      change: puttingPlacement([outline], motion),
      words,
    });
    const box = boxOf(start);
    if (act === "move") return whole(shift(dx, dy), `x ${(box.x + dx).toFixed(0)} px, y ${(box.y + dy).toFixed(0)} px`);
    if (act === "turn") {
      const angle = (/** @type {Place} */ p) => (Math.atan2(p.y - box.y, p.x - box.x) * 180) / Math.PI;
      let by = angle(to) - angle(from);
      if (event.shiftKey) by = Math.round(by / 15) * 15;
      return whole(about(box.x, box.y, turn(by)), `${by.toFixed(1)}°`);
    }
    if (act === "round") {
      const radius = Math.hypot(dx, dy);
      const points = roundedCorners(start, radius);
      return { points, change: puttingPoints(outline, points), words: `corners ${radius.toFixed(0)} px` };
    }
    if (act.startsWith("feather")) {
      const name = act.replace("-", "_");
      const { nx, ny } = lowerRight(start);
      const away = (dx * nx + dy * ny) * (act === "feather-out" ? 1 : -1);
      const before = /** @type {any} */ (shot().subject())?.refine[name] ?? 0;
      const value = Number(Math.min(4000, Math.max(0, before + away)).toFixed(1));
      return { points: start, change: { do: "put", path: `subjects.${shot().chosen}.refine.${name}`, value }, words: `feather ${value} px` };
    }
    if (act.startsWith("scale")) {
      const handle = HANDLES.find((one) => `scale-${one.id}` === act) ?? HANDLES[0];
      const motion = scaling(box, handle, dx, dy, event.altKey);
      const now = boxOf(carried(motion, start));
      return whole(motion, `${now.width.toFixed(0)} x ${now.height.toFixed(0)} px`);
    }
    const points = act === "point" ? this.shifted(start, new Set(shot().points), dx, dy) : this.levered(start, point, act, dx, dy, event.altKey);
    const now = points.find((p) => p.id === point) ?? points[0];
    const spot = act === "point" ? { x: now.x, y: now.y } : act === "before" ? { x: now.bx, y: now.by } : { x: now.ax, y: now.ay };
    return { points, change: puttingPoints(outline, points), words: `x ${spot.x.toFixed(1)} px, y ${spot.y.toFixed(1)} px`, at: spot };
  },
  /** @param {SplinePoint[]} points @param {Set<number>} chosen @param {number} dx @param {number} dy */
  shifted(points, chosen, dx, dy) {
    return points.map((p) => (chosen.has(p.id) ? carried(shift(dx, dy), [p])[0] : p));
  },
  // A handle of a smooth point takes the other one along; with Alt, or at a corner, it goes alone.
  /** @param {SplinePoint[]} points @param {number} id @param {string} act @param {number} dx @param {number} dy @param {boolean} alone */
  levered(points, id, act, dx, dy, alone) {
    return points.map((p) => {
      if (p.id !== id) return p;
      const before = act === "before";
      const [x, y] = before ? [p.bx + dx, p.by + dy] : [p.ax + dx, p.ay + dy];
      let [u, v] = before ? [p.ax, p.ay] : [p.bx, p.by]; // the other handle
      const smooth = p.smooth && !alone;
      if (smooth) {
        const share = Math.hypot(u - p.x, v - p.y) / (Math.hypot(x - p.x, y - p.y) || 1);
        [u, v] = [p.x - (x - p.x) * share, p.y - (y - p.y) * share];
      }
      return before ? { ...p, smooth, bx: x, by: y, ax: u, ay: v } : { ...p, smooth, ax: x, ay: y, bx: u, by: v };
    });
  },
  /** @param {Place} from @param {Pointed} event */
  select(from, event) {
    shot().points = [];
    if (!shot().line) return;
    this.track(
      event,
      (to) => {
        const band = { x: Math.min(from.x, to.x), y: Math.min(from.y, to.y), width: Math.abs(to.x - from.x), height: Math.abs(to.y - from.y) };
        this.band = band;
        const inside = (/** @type {SplinePoint} */ p) => p.x >= band.x && p.x <= band.x + band.width && p.y >= band.y && p.y <= band.y + band.height;
        shot().points = lines()
          .points(shot().line)
          .filter(inside)
          .map((p) => p.id);
      },
      () => (this.band = null),
    );
  },
  twice(/** @type {Pointed} */ event) {
    const { act, line, point } = event.target.dataset ?? {};
    if (pen().drawing || brush().active || !act) return;
    if (act === "point") this.smoothen([Number(point)]);
    if (act === "move" && line === shot().line) this.addPoint(this.place(event));
  },
  commitPoints(/** @type {SplinePoint[]} */ points) {
    const outline = shot().line;
    lines().hold(outline, points);
    shot().commit(puttingPoints(outline, points));
  },
  addPoint(/** @type {Place} */ place) {
    const points = lines().points(shot().line);
    let best = null;
    for (const p of along(points, 24)) {
      const away = Math.hypot(p.x - place.x, p.y - place.y);
      if (!best || away < best.away) best = { ...p, away };
    }
    if (!best || best.u === 0) return;
    const id = freeId(points);
    this.commitPoints(split(points, best.i, best.u, id));
    shot().points = [id];
  },
  smoothen(/** @type {number[]} */ ids) {
    const points = lines().points(shot().line);
    this.commitPoints(points.map((p, i) => (ids.includes(p.id) ? madeSmooth(points, i, !p.smooth) : p)));
  },
  removePoints() {
    const left = lines()
      .points(shot().line)
      .filter((p) => !shot().points.includes(p.id));
    if (left.length < 3) return;
    this.commitPoints(left);
    shot().points = [];
  },
  key(/** @type {Pressed} */ event) {
    const { act, id, line, point } = event.target.dataset ?? {};
    if (act === "brush") {
      brush().tipKey(event);
      return;
    }
    if (!act || act === "ground" || event.ctrlKey || event.metaKey || lines().live) return;
    /** @type {Record<string, Pair>} */
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    /** @type {Record<string, () => unknown>} */
    const others = {
      Delete: () => this.removePoints(),
      Backspace: () => this.removePoints(),
      Enter: () => this.pick(act, id, line, point),
      c: () => shot().points.length && this.smoothen(shot().points),
      "+": () => this.addAfter(Number(point)),
    };
    if (!arrows[event.key]) {
      if (!others[event.key]) return;
      event.preventDefault();
      others[event.key]();
      return;
    }
    event.preventDefault();
    this.choose(id, line);
    const [dx, dy] = arrows[event.key].map((one) => one * (event.shiftKey ? 10 : 1));
    const start = lines().points(shot().line);
    if (act === "point" && !shot().points.includes(Number(point))) shot().points = [Number(point)];
    const box = boxOf(start);
    const from = act === "turn" ? { x: box.x, y: box.y - 57.3 } : { x: 0, y: 0 };
    const to = act === "turn" ? { x: from.x + dx + dy, y: from.y } : { x: dx, y: dy };
    const { points, change } = this.changed(act, shot().line, start, from, to, event, Number(point));
    lines().hold(shot().line, points);
    shot().commit(change);
  },
  /** @param {string} act @param {string} id @param {string} line @param {number} point */
  pick(act, id, line, point) {
    this.choose(id, line);
    if (act === "point") shot().points = [Number(point)];
  },
  addAfter(/** @type {number} */ point) {
    const points = lines().points(shot().line);
    const i = points.findIndex((p) => p.id === point);
    if (i < 0) return;
    const made = freeId(points);
    this.commitPoints(split(points, i, 0.5, made));
    shot().points = [made];
  },
  /** @param {string} words @param {Pointed} [event] */
  tag(words, event) {
    const tag = this.$el.parentElement.querySelector(".tag");
    tag.hidden = !words;
    const { box } = this;
    if (!words || !event || !box) return;
    tag.textContent = words;
    tag.style.left = `${event.clientX - box.left + parseFloat(this.$el.style.left) + 16}px`;
    tag.style.top = `${event.clientY - box.top + parseFloat(this.$el.style.top) + 14}px`;
  },
  // The picture around a point that is dragged, four times as large, with the line through it.
  loupe(/** @type {Place | null} */ spot) {
    const loupe = this.$el.parentElement.querySelector(".loupe");
    loupe.hidden = !spot;
    const source = viewer().canvas;
    if (!spot || !source.width) return;
    const scale = source.width / shot().clip.width;
    const size = loupe.width / 4 / Math.max(1, viewer().scale);
    const ink = loupe.getContext("2d");
    ink.imageSmoothingEnabled = false;
    ink.fillStyle = "#777";
    ink.fillRect(0, 0, loupe.width, loupe.height);
    ink.drawImage(source, (spot.x - size / 2) * scale, (spot.y - size / 2) * scale, size * scale, size * scale, 0, 0, loupe.width, loupe.height);
    const zoom = loupe.width / size;
    ink.setTransform(zoom, 0, 0, zoom, -(spot.x - size / 2) * zoom, -(spot.y - size / 2) * zoom);
    ink.lineWidth = 1.5 / zoom;
    ink.strokeStyle = "#f0a64b";
    ink.stroke(new Path2D(pathOf(lines().points(shot().line))));
    ink.setTransform(1, 0, 0, 1, 0, 0);
    ink.strokeStyle = "#fbf8f1";
    ink.strokeRect(loupe.width / 2 - 4, loupe.height / 2 - 4, 8, 8);
  },
});
