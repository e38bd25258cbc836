// Drawing a new outline: corner by corner, or freehand.
import { curveOf, fitLine, newId, pointsOfCurve } from "./lines.js";
import { corner, corners, ellipse, pathOf, rounded } from "./plane.js";
import { svg } from "./svg.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const CLOSE = 9; // px on the screen within which the first point is meant

export const pen = () => window.Alpine.store("pen");

export function createPen() {
  return {
    tool: "select",
    /** @type {string | null} */
    joins: null, // how the new outline joins the chosen subject's; null for a new subject
    /** @type {SplinePoint[]} */
    points: [],
    /** @type {Place[]} */
    stroke: [],
    /** @type {Place | null} */
    at: null,

    /** @param {string} tool @param {string | null} [joins] */
    start(tool, joins = null) {
      this.tool = tool;
      this.joins = joins;
      this.points = [];
      this.stroke = [];
      this.at = null;
      shot().points = [];
    },
    stop() {
      this.start("select");
    },
    get drawing() {
      return this.tool !== "select";
    },
    get words() {
      if (this.tool === "region") return "Drag over what stays sharp. Enter lays a region in the middle, Escape leaves.";
      if (this.tool === "freehand") return "Draw around the subject in one stroke. Escape leaves it.";
      if (this.points.length === 0) return "Click for corners, drag for smooth points. Escape leaves it.";
      return "Close on the first point or with Enter. Backspace takes the last point back.";
    },
    shape(/** @type {string} */ kind) {
      const { width, height } = shot().clip;
      const side = Math.min(width, height) * 0.5;
      const box = { x: width / 2, y: height / 2, width: side * 0.8, height: side };
      /** @type {Record<string, Box>} */
      const halves = {
        left: { x: 0, y: height / 2, width, height: height * 2 },
        right: { x: width, y: height / 2, width, height: height * 2 },
        upper: { x: width / 2, y: 0, width: width * 2, height },
        lower: { x: width / 2, y: height, width: width * 2, height },
      };
      if (halves[kind]) return corners(halves[kind]);
      return kind === "ellipse" || kind === "hole" ? ellipse(box) : kind === "rounded" ? rounded(box) : corners(box);
    },
    // Where drawing began: it ends up there, whatever is chosen or shown meanwhile.
    get begun() {
      return { subject: shot().chosen, frame: viewer().frame, joins: this.joins };
    },
    /** @param {SplinePoint[]} points @param {Begun} [begun] */
    add(points, begun, drawn_as = "closely", /** @type {(id: string) => Command[]} */ more = () => []) {
      const { subject, frame, joins } = begun ?? this.begun;
      const drawn = { id: newId(), curve: curveOf(points) };
      if (joins !== null) shot().commit({ do: "draw-outline", subject, frame, joins, ...drawn });
      else {
        const id = newId();
        shot().commit([{ do: "add-subject", id, frame, drawn, drawn_as }, ...more(id)]);
        shot().chosen = id;
      }
      shot().line = drawn.id;
      this.stop();
    },
    close() {
      if (this.points.length >= 3) this.add(this.points.map((point, id) => ({ ...point, id })));
    },
    back() {
      this.points = this.points.slice(0, -1);
    },

    /** @param {Place} place @param {Pointed} event @param {Surface} surface */
    down(place, event, surface) {
      if (this.tool === "region") {
        const { begun } = this;
        const over = (/** @type {Place} */ to) => ({ x: (place.x + to.x) / 2, y: (place.y + to.y) / 2, width: Math.abs(to.x - place.x), height: Math.abs(to.y - place.y) }); // prettier-ignore
        const grow = (/** @type {Place} */ to) => void (this.points = over(to).width > 4 && over(to).height > 4 ? ellipse(over(to)) : []);
        surface.track(event, grow, () => this.points.length && this.add(this.points, begun, "soft-region"));
        return;
      }
      if (this.tool === "freehand") {
        this.stroke = [place];
        const { begun } = this;
        surface.track(
          event,
          (to) => (this.stroke = [...this.stroke, to]),
          () => this.fit(begun),
        );
        return;
      }
      const first = this.points[0];
      if (this.points.length >= 3 && Math.hypot(place.x - first.x, place.y - first.y) * viewer().scale < CLOSE) {
        this.close();
        return;
      }
      const made = corner(this.points.length, place.x, place.y);
      this.points = [...this.points, made];
      surface.track(event, (to) => {
        if (Math.hypot(to.x - place.x, to.y - place.y) * viewer().scale < 3) return;
        const smooth = { ...made, ax: to.x, ay: to.y, bx: 2 * place.x - to.x, by: 2 * place.y - to.y, smooth: true };
        this.points = [...this.points.slice(0, -1), smooth];
      });
    },
    async fit(/** @type {Begun} */ begun) {
      const stroke = this.stroke.map((place) => /** @type {Pair} */ ([place.x, place.y]));
      this.stroke = [];
      try {
        this.add(pointsOfCurve(await fitLine(stroke, Math.min(50, Math.max(0.5, 2.5 / viewer().scale)))), begun);
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    key(/** @type {Pressed} */ event) {
      const enter = () => (this.tool === "region" ? this.add(this.shape("ellipse"), undefined, "soft-region") : this.close());
      /** @type {Record<string, () => void>} */
      const actions = { Escape: () => this.stop(), Enter: enter, Backspace: () => this.back() };
      const undo = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z";
      const action = undo && this.points.length ? () => this.back() : actions[event.key];
      if (!action) return false;
      event.preventDefault();
      action();
      return true;
    },
    parts() {
      const stroke = this.stroke.map((p, i) => `${i ? "L" : "M"}${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join("");
      const region = this.tool === "region";
      const path = stroke || pathOf(this.points, region);
      const parts = [svg("path", { class: "shape-halo", d: path }), svg("path", { class: "shape-line ink-3 drawn", d: path })];
      const last = this.points[this.points.length - 1];
      if (last && this.at && !region)
        parts.push(
          svg("path", { class: "shape-ring ink-3", d: `M${last.x} ${last.y}C${last.ax} ${last.ay} ${this.at.x} ${this.at.y} ${this.at.x} ${this.at.y}` }),
        );
      const size = 4.5 / viewer().scale;
      if (!region)
        this.points.forEach((p, i) => parts.push(svg("circle", { class: `handle ink-3${i ? "" : " first"}`, cx: p.x, cy: p.y, r: i ? size : size * 1.4 })));
      return parts;
    },
  };
}

// The ring at a distance from the line, with what each point adds.
/** @param {Along[]} along @param {number} by @param {(p: Along) => number} own */
export function ring(along, by, own) {
  const places = along.map((p) => `${(p.x + p.nx * (by + own(p))).toFixed(1)} ${(p.y + p.ny * (by + own(p))).toFixed(1)}`);
  return `M${places.join("L")}Z`;
}
