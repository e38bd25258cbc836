// The curve over a source's distances: points are dragged, moved by keys, added and taken away.
import { bare } from "./document.js";
import { dragged } from "./drag.js";
import { focusedIn, svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const [WIDTH, HEIGHT, ROOM, STEP] = [240, 120, 8, 0.02]; // ROOM is left around, so that ends are seen whole
/** @typedef {[number, number]} Point */
/** @type {Record<string, Point[]>} */
const PRESETS = {
  even: [],
  near: [
    [0, 0],
    [0.35, 0.62],
    [1, 1],
  ],
  far: [
    [0, 0],
    [0.45, 0.18],
    [1, 1],
  ],
};
/** @type {Point[]} */
const EVEN = [
  [0, 0],
  [1, 1],
];
const round = (/** @type {number} */ value) => Number(Math.min(1, Math.max(0, value)).toFixed(3));

export const bend = () => ({
  drawing: /** @type {SVGSVGElement | null} */ (null),
  /** @type {Point[] | null} */
  held: null,
  init() {
    this.drawing = this.$refs.bend;
    window.Alpine.effect(() => this.draw());
  },
  get source() {
    return shot().setup.distance.sources.find((one) => one.id === shot().source);
  },
  /** @returns {Point[]} */
  get points() {
    const curve = /** @type {Point[]} */ (bare(this.source?.curve ?? []));
    return this.held ?? (curve.length ? curve : EVEN);
  },
  draw() {
    if (!this.drawing || !this.source) return;
    const { points } = this;
    const focused = focusedIn(this.drawing)?.getAttribute("data-i");
    const x = (/** @type {number} */ value) => value * WIDTH;
    const y = (/** @type {number} */ value) => (1 - value) * HEIGHT;
    const line = points.map(([a, b], i) => `${i ? "L" : "M"}${x(a)} ${y(b)}`).join("");
    const dots = points.map(([a, b], i) => {
      const dot = svg("circle", { cx: x(a), cy: y(b), r: 6, tabindex: 0, role: "button", "data-i": i, "aria-label": `Point ${i + 1}: ${Math.round(a * 100)} % of the way, counts as ${Math.round(b * 100)} %. Arrows move it, Delete takes it away.` }); // prettier-ignore
      dot.addEventListener("pointerdown", (event) => this.grab(/** @type {PointerEvent} */ (event), i));
      dot.addEventListener("keydown", (event) => this.key(/** @type {KeyboardEvent} */ (event), i));
      return dot;
    });
    this.drawing.replaceChildren(svg("path", { class: "even", d: `M0 ${HEIGHT}L${WIDTH} 0` }), svg("path", { d: line }), ...dots);
    if (focused) /** @type {SVGElement | null} */ (this.drawing.querySelector(`[data-i="${focused}"]`))?.focus();
  },
  // A point stays between its neighbours.
  /** @param {number} i @param {number} a @param {number} b @returns {Point[]} */
  moved(i, a, b) {
    const { points } = this;
    const low = i > 0 ? points[i - 1][0] + 0.005 : 0;
    const high = i < points.length - 1 ? points[i + 1][0] - 0.005 : 1;
    return points.map((point, n) => (n === i ? [round(Math.min(high, Math.max(low, a))), round(b)] : point));
  },
  /** @param {Point[]} points */
  command(points) {
    return { do: "bend-source", source: shot().source, curve: points };
  },
  /** @param {PointerEvent} event @param {number} i */
  grab(event, i) {
    const { drawing } = this;
    if (!drawing) return;
    const box = drawing.getBoundingClientRect();
    event.preventDefault();
    const move = (/** @type {PointerEvent} */ at) => {
      const x = ((at.clientX - box.left) / box.width) * (WIDTH + 2 * ROOM) - ROOM;
      const y = ((at.clientY - box.top) / box.height) * (HEIGHT + 2 * ROOM) - ROOM;
      this.held = this.moved(i, x / WIDTH, 1 - y / HEIGHT);
      shot().draft(this.command(this.held));
    };
    dragged(drawing, event, move, (/** @type {boolean} */ was) => {
      this.held = null;
      if (was) shot().commit();
    });
  },
  /** @param {KeyboardEvent} event @param {number} i */
  key(event, i) {
    const [a, b] = this.points[i];
    const by = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] }[event.key];
    if (by) shot().commit(this.command(this.moved(i, a + by[0], b + by[1])));
    else if (["Delete", "Backspace"].includes(event.key) && this.points.length > 2) shot().commit(this.command(this.points.filter((_, n) => n !== i)));
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
  preset(/** @type {Given} */ event) {
    shot().commit(this.command(PRESETS[event.currentTarget.dataset.preset]));
  },
  // In the widest gap.
  add() {
    const { points } = this;
    if (points.length >= 16) return;
    const gaps = points.slice(1).map(([a], i) => a - points[i][0]);
    const i = gaps.indexOf(Math.max(...gaps));
    const between = /** @type {Point} */ ([round((points[i][0] + points[i + 1][0]) / 2), round((points[i][1] + points[i + 1][1]) / 2)]);
    shot().commit(this.command([...points.slice(0, i + 1), between, ...points.slice(i + 1)]));
  },
});
