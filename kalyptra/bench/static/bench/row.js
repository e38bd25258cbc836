// A chart row: any keyed value over time, below the focus chart and on its scale of time.
import { bare } from "./document.js";
import { timeAt } from "./chart.js";
import { curve, keysOf, moving, nameOfPath, putting, valueAt } from "./curve.js";
import { dragged } from "./drag.js";
import { nameOf } from "./sources.js";
import { focusedIn, svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const [TOP, FOOT] = [10, 8];

/** @type {Record<string, string>} */
const WORDS = {
  f_number: "f-number",
  softness: "softness, px",
  distance: "distance, m",
  near: "near end, m",
  across: "across, m",
  up: "up, m",
  ahead: "ahead, m",
  pan: "pan, degrees",
  tilt: "tilt, degrees",
  focal_length_mm: "focal length, mm",
  before: "sharp before the focus, m",
  behind: "sharp behind the focus, m",
  roll_off: "roll-off",
  far: "far end, m",
  height: "camera height, m",
  horizon: "horizon, px",
  strength: "strength",
  fall_near: "falls off near, px",
  fall_far: "falls off far, px",
};

// Whose the values are that lie there.
/** @type {Record<string, string>} */
const OWNERS = { move: "Camera", "space.camera": "Camera", "space.card": "Card" };
const place = (/** @type {string} */ path, /** @type {string} */ name) => (path ? `${path}.${name}` : name);

// Every keyed number of the setup, by its path; the focus curve has a chart of its own.
export function rowsOf(/** @type {Api["Setup"]} */ setup) {
  /** @type {{ path: string; name: string }[]} */
  const out = [];
  /** @param {any} value @param {string} path @param {string} words */
  const walk = (value, path, words) => {
    if (!value || typeof value !== "object") return;
    if (Array.isArray(value.keys) && typeof value.keys[0]?.value === "number") {
      const name = nameOfPath(path);
      out.push({ path, name: `${words}${WORDS[name] ?? name.replaceAll("_", " ")}` });
      return;
    }
    for (const [name, inner] of Object.entries(value)) {
      if (["matte", "focus", "feet"].includes(name)) continue;
      const whose = inner?.kind ? nameOf(inner) : path === "subjects" || path === "space.cards" ? inner.name : OWNERS[place(path, name)];
      const own = whose ? `${whose}: ` : words;
      walk(inner, place(path, inner?.id ?? name), own); // others may put a list in another order meanwhile
    }
  };
  walk(setup, "", "");
  return out;
}

const ruledBy = (/** @type {string} */ path) => ["distance", "near", "far"].includes(nameOfPath(path));

export const row = () => ({
  svg: /** @type {SVGSVGElement} */ (/** @type {unknown} */ (null)),
  size: { width: 0, height: 0 },
  /** @type {any} */
  held: null,
  init() {
    this.svg = this.$refs.row ?? null;
    if (!this.svg) return; // the list alone, above the chart
    new ResizeObserver(() => (this.size = { width: this.svg.clientWidth, height: this.svg.clientHeight })).observe(this.svg);
    window.Alpine.effect(() => this.draw());
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("dblclick", (event) => this.twice(/** @type {Pointed} */ (event)));
    this.svg.addEventListener("keydown", (event) => this.key(event));
  },
  get path() {
    return curve().row;
  },
  get open() {
    return this.path !== "";
  },
  get choices() {
    return [{ path: "", name: "no other row" }, ...rowsOf(bare(shot().setup))];
  },
  choose(/** @type {Given} */ event) {
    curve().row = event.target.value;
    curve().clear();
  },
  // How a value goes up the row: distances in dioptres, others as they are.
  scale() {
    const to = ruledBy(this.path) ? (/** @type {number} */ value) => -1 / value : (/** @type {number} */ value) => value;
    const back = ruledBy(this.path) ? (/** @type {number} */ up) => -1 / Math.min(-1e-5, up) : (/** @type {number} */ up) => up;
    const values = keysOf(this.path).map((key) => to(key.value));
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const room = Math.max((high - low) * 0.25, Math.abs(high) * 0.2, 1e-3);
    const range = this.held ?? [low - room, high + room];
    const high_px = this.size.height - TOP - FOOT;
    return {
      range,
      y: (/** @type {number} */ value) => TOP + (1 - (to(value) - range[0]) / (range[1] - range[0])) * high_px,
      value: (/** @type {number} */ y) => back(range[0] + (1 - (y - TOP) / high_px) * (range[1] - range[0])),
    };
  },
  draw() {
    const { width, height } = this.size;
    if (!this.open || width === 0 || keysOf(this.path).length === 0) return;
    const keys = keysOf(this.path);
    const time = timeAt(width);
    const { y } = this.scale();
    const parts = [svg("rect", { class: "ground", x: time.x(time.first), y: 2, width: time.x(time.last) - time.x(time.first), height: height - 4 })];
    let d = "";
    const steps = Math.min(400, Math.max(2, Math.ceil(time.last - time.first)));
    for (let i = 0; i <= steps; i++) {
      const frame = time.first + ((time.last - time.first) * i) / steps;
      d += `${i ? "L" : "M"}${time.x(frame).toFixed(1)} ${y(valueAt(this.path, frame)).toFixed(1)}`;
    }
    parts.push(svg("path", { class: "row-line", d }));
    for (const key of keys) {
      if (key.frame < time.first || key.frame > time.last) continue;
      const chosen = curve().isChosen(this.path, key.frame);
      parts.push(
        svg("circle", {
          class: `row-key ${chosen ? "chosen" : ""}`,
          cx: time.x(key.frame),
          cy: y(key.value),
          r: 4.5,
          "data-row": key.frame,
          tabindex: 0,
          role: "button",
          "aria-label": `Key at frame ${key.frame}, ${Number(key.value.toPrecision(4))}`,
          "aria-pressed": chosen,
        }),
      );
    }
    const at = time.x(viewer().frame);
    parts.push(svg("line", { class: "playhead", x1: at, x2: at, y1: 0, y2: height }));
    parts.push(svg("text", { x: 78, y: height / 2 + 4, "text-anchor": "end" }, Number(valueAt(this.path, viewer().frame).toPrecision(4)).toString()));
    const focused = focusedIn(this.svg)?.dataset.row;
    this.svg.replaceChildren(...parts);
    if (focused !== undefined && !this.held)
      /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-row="${focused}"]`) ?? this.svg.querySelector(".row-key.chosen"))?.focus({
        preventScroll: true,
      });
  },
  down(/** @type {Pointed} */ event) {
    const from = event.target.dataset.row === undefined ? null : Number(event.target.dataset.row);
    if (event.button !== 0 || from === null) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    if (!curve().isChosen(this.path, from)) curve().choose(this.path, [from]);
    this.held = this.scale().range;
    const box = this.svg.getBoundingClientRect();
    const time = timeAt(this.size.width);
    dragged(
      this.svg,
      event,
      (at) => {
        const by = Math.max(-from, time.frame(at.clientX - box.left) - from);
        const value = Number(
          this.scale()
            .value(at.clientY - box.top)
            .toPrecision(4),
        );
        curve().chosen = [from + by];
        shot().sketch(
          moving(this.path, [from], by, (key) => ({ ...key, value })),
          true,
        );
      },
      (moved) => {
        this.held = null;
        if (moved) shot().commit();
      },
    );
  },
  twice(/** @type {Pointed} */ event) {
    if (event.target.dataset.row !== undefined) return;
    const box = this.svg.getBoundingClientRect();
    const frame = timeAt(this.size.width).frame(event.clientX - box.left);
    shot().commit(putting(this.path, { frame, value: Number(valueAt(this.path, frame).toPrecision(6)), ease: "eased" }));
    curve().choose(this.path, [frame]);
  },
  key(/** @type {Pressed} */ event) {
    const from = event.target.dataset?.row;
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (from === undefined || event.ctrlKey || event.metaKey) return;
    if (!curve().isChosen(this.path, Number(from))) curve().choose(this.path, [Number(from)]);
    if (by) curve().nudge(by * (event.shiftKey ? 10 : 1));
    else if (up) curve().shift((ruledBy(this.path) ? -0.01 : 0.01) * up * (event.shiftKey ? 10 : 1));
    else if (event.key === "Delete" || event.key === "Backspace") curve().drop();
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
});
