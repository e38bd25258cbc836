// The plan: the scene from above, the camera at the foot. Up is farther, even in dioptres so that the near end has room; a
// column of the picture is a straight line to the camera. What is dragged here changes on the picture, too.
import { bare } from "./document.js";
import { dragged } from "./drag.js";
import { putting } from "./fields.js";
import { chosenSource, distanceNow, distanceOf, handlesOf, puttingDistance, sources } from "./sources.js";
import { stepping } from "./steps.js";
import { survey } from "./survey.js";
import { focusedIn, svg } from "./svg.js";
import { metres, metresOf, rulers } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const SIZE = { width: 264, height: 236, foot: 22, top: 10, side: 30 };

function chosenHandle(/** @type {string} */ id) {
  const source = chosenSource();
  return source ? handlesOf(bare(source)).find((one) => one.id === id) : undefined;
}

export const plan = () => ({
  svg: /** @type {SVGSVGElement} */ (/** @type {unknown} */ (null)),
  stage: "", // in whose sheet it is
  /** @type {Span | null} */
  held: null, // the range of dioptres while something is dragged: the scale must not slide away under the pointer
  init() {
    this.svg = this.$refs.plan;
    this.stage = this.$refs.plan.closest("[data-stage]").dataset.stage;
    window.Alpine.effect(() => this.draw());
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    const step = stepping((grab, [, down]) => this.moved(grab, down));
    this.svg.addEventListener("keydown", (event) => this.key(event, step));
  },
  get visible() {
    return shot().stage === this.stage;
  },
  get words() {
    const now = survey().now;
    if (!now) return "";
    const { focal_length_mm: focal, sensor_width_mm: sensor } = shot().setup.lens;
    const angle = shot().setup.distance.view_angle ?? (2 * Math.atan(sensor / 2 / focal) * 180) / Math.PI;
    return `${angle.toFixed(1)}° across`;
  },
  get unitWords() {
    return window.Alpine.store("units").feet ? "Feet" : "Metres";
  },
  flipUnits() {
    window.Alpine.store("units").flip();
  },
  range() {
    if (this.held) return this.held;
    const now = survey().now;
    if (!now) return null;
    const low = Math.min(now.low, now.lens.far ? 1 / now.lens.far : 0);
    const high = Math.max(now.high, 1 / now.lens.near);
    const room = (high - low) * 0.06;
    return { low: Math.max(0, low - room), high: high + room };
  },
  y(/** @type {number} */ dioptres, /** @type {Span} */ { low, high }) {
    const share = (Math.max(low, Math.min(high, dioptres)) - low) / (high - low);
    return SIZE.top + share * (SIZE.height - SIZE.top - SIZE.foot - 26);
  },
  dioptresAt(/** @type {number} */ y, /** @type {Span} */ { low, high }) {
    return low + ((y - SIZE.top) / (SIZE.height - SIZE.top - SIZE.foot - 26)) * (high - low);
  },
  // Where a column of the picture (0 to 1) lies at a height: the wedge narrows to the camera.
  /** @param {number} share @param {number} y */
  x(share, y) {
    const wide = ((SIZE.height - SIZE.foot - y) / (SIZE.height - SIZE.foot - SIZE.top)) * (SIZE.width / 2 - SIZE.side);
    return SIZE.width / 2 + (share * 2 - 1) * wide;
  },
  /** @param {number} x @param {number} y */
  shareAt(x, y) {
    const wide = ((SIZE.height - SIZE.foot - y) / (SIZE.height - SIZE.foot - SIZE.top)) * (SIZE.width / 2 - SIZE.side);
    return Math.min(1, Math.max(0, ((x - SIZE.width / 2) / Math.max(8, wide) + 1) / 2));
  },

  draw() {
    if (!this.visible) return;
    const range = this.range();
    if (!range) return;
    const { width, height, top, foot } = SIZE;
    const at = survey().now;
    const bottom = height - foot;
    const parts = [svg("rect", { class: "plan-ground", width, height })];
    parts.push(svg("path", { class: "plan-wedge", d: `M${width / 2} ${bottom}L${this.x(0, top)} ${top}H${this.x(1, top)}Z` }));
    let last = -99;
    for (const [distance, words] of rulers()) {
      const y = this.y(1 / distance, range);
      if (1 / distance < range.low || 1 / distance > range.high || Math.abs(y - last) < 14) continue;
      last = y;
      parts.push(svg("line", { class: "plan-rule", x1: 4, x2: width - 4, y1: y, y2: y }), svg("text", { x: width - 3, y: y - 2, "text-anchor": "end" }, words));
    }
    const focused = focusedIn(this.svg)?.dataset.grab;
    for (const source of bare(sources())) parts.push(...this.source(source, range));
    parts.push(...this.lens(at, range));
    for (const one of bare(shot().seen.subjects)) parts.push(...this.subject(one, at, range));
    parts.push(svg("path", { class: "plan-camera", d: `M${width / 2 - 9} ${bottom + 12}v-10h5l4 -5l4 5h5v10z` }));
    this.svg.replaceChildren(...parts);
    if (focused) /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-grab="${focused}"]`))?.focus({ preventScroll: true });
  },
  // A source: what lies between its upper and its lower row of the picture, and its middle row as a line.
  /** @param {Source} source @param {Span} range */
  source(source, range) {
    const rows = bare(survey().now)?.sources[source.id];
    if (!rows || source.enabled === false) return [];
    const chosen = source.id === shot().source && shot().stage === "distance";
    /** @param {number} dioptres @param {number} i */
    const point = (dioptres, i) => {
      const y = this.y(dioptres, range);
      return `${this.x(i / (rows[0].length - 1), y).toFixed(1)} ${y.toFixed(1)}`;
    };
    const line = (/** @type {number[]} */ row) => row.map((one, i) => `${i ? "L" : "M"}${point(one, i)}`).join("");
    const lower = rows[rows.length - 1];
    const back = lower.map((_, i) => `L${point(lower[lower.length - 1 - i], lower.length - 1 - i)}`).join("");
    const parts = [
      svg("path", { class: `plan-area ${chosen ? "chosen" : ""}`, d: `${line(rows[0])}${back}Z` }),
      svg("path", { class: `plan-line ${chosen ? "chosen" : ""}`, d: line(rows[1]), "data-source": source.id }),
    ];
    if (!chosen) return parts;
    for (const handle of handlesOf(source)) {
      if (!handle.distance) continue;
      const distance = distanceOf(handle, source);
      const y = this.y(1 / distance, range);
      const x = this.x(Math.min(1, Math.max(0, handle.at[0] / shot().clip.width)), y);
      parts.push(svg("circle", { class: "plan-pin", cx: x, cy: y, r: 5, "data-grab": handle.id, tabindex: 0, role: "button",
        "aria-label": `${handle.words}, ${metres(distance)}` })); // prettier-ignore
    }
    if (source.kind === "backdrop") {
      const y = this.y(1 / distanceNow(source.distance), range);
      parts.push(this.grip("backdrop", y, "Backdrop", distanceNow(source.distance)));
    }
    return parts;
  },
  // Something to hold a whole line by.
  /** @param {string} name @param {number} y @param {string} words @param {number | null | undefined} distance metres, none for infinity */
  grip(name, y, words, distance) {
    const value = { "aria-valuenow": distance ?? 1e5, "aria-valuemin": 0, "aria-valuemax": 1e5, "aria-valuetext": metres(distance) };
    return svg("line", { class: "plan-grip", x1: 6, x2: SIZE.width - 34, y1: y, y2: y, "data-grab": name, tabindex: 0, role: "slider", "aria-label": `${words}, ${metres(distance)}`, ...value }); // prettier-ignore
  },
  /** @param {any} at @param {Span} range */
  lens(at, range) {
    if (!at) return [];
    const { near, far, focus } = at.lens;
    const [a, b, f] = [this.y(far ? 1 / far : 0, range), this.y(1 / near, range), this.y(1 / focus, range)];
    const wide = SIZE.width - 40;
    return [
      svg("rect", { class: "plan-limits", x: 6, y: a, width: wide, height: Math.max(1, b - a) }),
      this.grip("far", a, "Far limit", far),
      this.grip("near", b, "Near limit", near),
      svg("line", { class: "plan-focus", x1: 6, x2: 6 + wide, y1: f, y2: f }),
      this.grip("focus", f, "Focus", focus),
    ];
  },
  /** @param {Api["Subject"]} one @param {any} at @param {Span} range */
  subject(one, at, range) {
    const read = at?.subjects[one.id];
    const way = survey().wayOf(one.id);
    if (!read) return [];
    const ink = `ribbon-${one.ink}`;
    const spot = (/** @type {[number, number, number]} */ [, share, dioptres]) => {
      const y = this.y(dioptres, range);
      return `${this.x(share, y).toFixed(1)} ${y.toFixed(1)}`;
    };
    /** @type {SVGElement[]} */
    const parts = [];
    if (way.length > 1) parts.push(svg("path", { class: `plan-way ${ink}`, d: way.map((step, i) => `${i ? "L" : "M"}${spot(step)}`).join("") }));
    const away = (/** @type {number[]} */ step) => Math.abs(step[0] - viewer().frame);
    const near = way.reduce((best, step) => (best && away(best) <= away(step) ? best : step), way[0]);
    const y = this.y(1 / read.distance, range);
    const x = this.x(near?.[1] ?? 0.5, y);
    parts.push(svg("circle", { class: `plan-subject ${ink}`, cx: x, cy: y, r: 5.5, "data-grab": `subject:${one.id}`, tabindex: 0, role: "button",
      "aria-label": `${one.name}, ${metres(read.distance)}` })); // prettier-ignore
    const left = x > SIZE.width * 0.6;
    parts.push(svg("text", { class: `name ${ink}`, x: x + (left ? -9 : 9), y: y - 5, "text-anchor": left ? "end" : "start" }, one.name));
    return parts;
  },

  // What a grab changes when it is put at a distance (1/m) and a column of the picture.
  /** @param {string} grab @param {number} dioptres @param {number | null} share @param {any} lens */
  change(grab, dioptres, share, lens) {
    const distance = Number(metresOf(dioptres).toPrecision(4));
    if (grab === "focus") return putting("focus.distance", Math.max(shot().setup.lens.focal_length_mm / 900, distance));
    if (grab === "near" || grab === "far") return this.limit(grab, dioptres, lens);
    if (grab === "backdrop") return putting("#.distance", distance);
    if (grab.startsWith("subject:")) {
      const id = grab.slice(8);
      shot().chosen = id;
      return putting("@.distance", distance);
    }
    const handle = chosenHandle(grab);
    if (!handle) return [];
    const beside = share !== null && handle.stop === undefined;
    return [puttingDistance(handle, distance), ...(beside ? [handle.move([share * shot().clip.width, handle.at[1]])] : [])];
  },
  // Limits lie as far from the focus, in dioptres, as the f-number is large; a range that is held is moved itself.
  /** @param {string} end @param {number} dioptres @param {any} lens */
  limit(end, dioptres, lens) {
    const value = Number(metresOf(dioptres).toPrecision(4));
    const { held } = shot().setup.lens;
    if (held) return { do: "hold-end", end, frame: viewer().frame, distance: value };
    const own = Math.abs(1 / lens[end === "near" ? "near" : "far"] - 1 / lens.focus) || 1 / lens.near - 1 / lens.focus;
    const wanted = Math.max(1e-4, end === "near" ? dioptres - 1 / lens.focus : 1 / lens.focus - dioptres);
    const number = Math.min(256, Math.max(0.01, Number((lens.f_number * (wanted / own)).toPrecision(3))));
    return [putting("lens.f_number", number), { do: "put", path: "lens.aperture", value: "f-number" }];
  },
  down(/** @type {Pointed} */ event) {
    const { grab, source } = event.target.dataset ?? {};
    if (event.button !== 0) return;
    if (source) shot().source = source;
    if (!grab) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    const range = this.range();
    const lens = bare(survey().now)?.lens;
    if (!range || !lens) return;
    this.held = range;
    const box = this.svg.getBoundingClientRect();
    const scale = SIZE.width / box.width;
    dragged(
      this.svg,
      event,
      (at) => {
        const y = (at.clientY - box.top) * scale;
        const share = Math.abs(at.clientX - event.clientX) > 4 ? this.shareAt((at.clientX - box.left) * scale, y) : null;
        shot().sketch(this.change(grab, this.dioptresAt(y, range), share, lens));
      },
      (moved) => {
        this.held = null;
        if (moved) shot().commit();
      },
    );
  },
  /** @param {Pressed} event @param {Stepped} step */
  key(event, step) {
    const { grab } = event.target.dataset ?? {};
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!grab || !by) return;
    event.preventDefault();
    step(grab, [0, by * (event.shiftKey ? 10 : 1)]);
  },
  // By hundredths of what is seen, down the plan.
  async moved(/** @type {string} */ grab, /** @type {number} */ by) {
    const range = this.range();
    if (!range) return;
    const to = this.dioptresOf(grab) + (by * (range.high - range.low)) / 100;
    await shot().commit(this.change(grab, to, null, bare(survey().now)?.lens));
  },
  dioptresOf(/** @type {string} */ grab) {
    const now = bare(survey().now);
    if (!now) return 0;
    const { lens, subjects } = now;
    if (grab === "focus" || grab === "near") return 1 / lens[grab];
    if (grab === "far") return lens.far ? 1 / lens.far : 0;
    if (grab.startsWith("subject:")) return 1 / subjects[grab.slice(8)].distance;
    const source = chosenSource();
    const handle = chosenHandle(grab);
    if (!source) return 0;
    if (grab === "backdrop") return 1 / distanceNow(source.distance);
    return handle ? 1 / (distanceOf(handle, bare(source)) ?? Infinity) : 0;
  },
});
