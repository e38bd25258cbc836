// The chosen source over the picture: handles that are dragged, lines of equal distance, and the distance under the pointer.
import { bare } from "./document.js";
import { dragged } from "./drag.js";
import { addingStop, chosenSource, distanceOf, handlesOf, nudged, pathsOf, puttingDistance, removingStop, shareAt, wordsOf } from "./sources.js";
import { sizing } from "./sizing.js";
import { survey } from "./survey.js";
import { focusedIn, svg } from "./svg.js";
import { metres, ruled } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

export const ground = () => ({
  /** @type {string | null} */
  focused: null,
  dragging: false,
  init() {
    window.Alpine.effect(() => this.draw());
    this.$el.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.down(event));
    this.$el.addEventListener("pointermove", (/** @type {Pointed} */ event) => this.hover(event));
    this.$el.addEventListener("pointerleave", () => (viewer().pointed = ""));
    this.$el.addEventListener("dblclick", (/** @type {Pointed} */ event) => this.twice(event));
    this.$el.addEventListener("keydown", (/** @type {Pressed} */ event) => this.key(event));
  },
  get visible() {
    return shot().stage === "distance" && !viewer().playing;
  },
  get source() {
    const found = chosenSource();
    return found?.enabled === false ? null : found;
  },
  /** @returns {Pair} */
  place(/** @type {PointerEvent} */ event) {
    const box = this.$el.getBoundingClientRect();
    const scale = shot().clip.width / box.width;
    return [(event.clientX - box.left) * scale, (event.clientY - box.top) * scale];
  },
  hover(/** @type {Pointed} */ event) {
    const [x, y] = this.place(event);
    const found = survey().at(x, y);
    viewer().pointed = found === null ? "" : found === Infinity ? "infinitely far" : metres(found);
  },
  draw() {
    if (!this.visible) {
      viewer().pointed = "";
      return;
    }
    const { width, height } = shot().clip;
    const parts = [svg("rect", { class: "shape-ground", width, height, "data-act": "ground" })];
    const scale = viewer().scale;
    if (viewer().lines) parts.push(...this.equals(scale));
    const source = !sizing().on && this.source && bare(this.source);
    if (sizing().on) parts.push(...this.measured(scale));
    if (source) {
      void viewer().frame;
      const inside = svg("svg", { width, height, overflow: "hidden" }); // lines end with the picture, handles do not
      for (const d of pathsOf(source))
        inside.append(svg("path", { class: "shape-halo", d }), svg("path", { class: "source-line", d, "data-act": source.stops ? "way" : "ground" }));
      parts.push(inside);
      for (const handle of handlesOf(source)) parts.push(...this.handle(handle, source, scale));
    }
    const active = document.activeElement;
    const inside = focusedIn(this.$el);
    if (inside) this.focused = inside.dataset.handle ?? null;
    else if (active !== document.body) this.focused = null;
    this.$el.replaceChildren(...parts);
    if (this.focused && !this.dragging) this.$el.querySelector(`[data-handle="${this.focused}"]`)?.focus({ preventScroll: true });
  },
  // The line along something of known length.
  measured(/** @type {number} */ scale) {
    const [[x1, y1], [x2, y2]] = [sizing().start, sizing().end];
    const d = `M${x1} ${y1}L${x2} ${y2}`;
    const line = [svg("path", { class: "shape-halo", d }), svg("path", { class: "source-line", d })];
    return [...line, ...sizing().handles.flatMap((handle) => this.handle(handle, null, scale))];
  },
  // Lines of equal distance, each named once.
  equals(/** @type {number} */ scale) {
    const parts = [];
    for (const [distance, lines] of bare(survey().now?.lines) ?? []) {
      const d = lines.map((line) => line.map(([x, y], i) => `${i ? "L" : "M"}${x} ${y}`).join("")).join("");
      parts.push(svg("path", { class: "equal-halo", d }), svg("path", { class: "equal", d }));
      const longest = lines.reduce((a, b) => (b.length > a.length ? b : a));
      const [x, y] = longest[Math.floor(longest.length * 0.8)];
      parts.push(svg("text", { class: "equal-name", x, y: y - 4 / scale, "font-size": 12 / scale, "stroke-width": 3 / scale }, ruled(distance)));
    }
    return parts;
  },
  /** @param {Handle} handle @param {Source | null} source @param {number} scale */
  handle(handle, source, scale) {
    const size = (handle.end ? 4.5 : 6) / scale;
    const [x, y] = handle.at;
    const words = wordsOf(handle, source);
    const look = { class: `handle source-handle ${handle.end ? "" : "source-pin"}`, "data-act": "handle", "data-handle": handle.id, tabindex: 0, role: "button",
      "aria-label": words ? `${handle.words}, ${words}` : handle.words }; // prettier-ignore
    const shape =
      handle.stop === undefined
        ? svg("circle", { ...look, cx: x, cy: y, r: size })
        : svg("path", { ...look, d: `M${x} ${y - size * 1.3}l${size * 1.3} ${size * 1.3}l${-size * 1.3} ${size * 1.3}l${-size * 1.3} ${-size * 1.3}Z` });
    if (!words) return [shape];
    return [shape, svg("text", { class: "equal-name", x: x + 11 / scale, y: y + 4 / scale, "font-size": 12.5 / scale, "stroke-width": 3.5 / scale }, words)];
  },
  find(/** @type {string} */ id) {
    if (sizing().on) return sizing().handles.find((one) => one.id === id);
    return this.source ? handlesOf(bare(this.source)).find((one) => one.id === id) : null;
  },
  down(/** @type {Pointed} */ event) {
    if (event.button !== 0 || viewer().panning || !(this.source || sizing().on)) return;
    const id = event.target.dataset?.handle;
    if (!id) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    const handle = this.find(id);
    if (!handle) return;
    const from = this.place(event);
    const at0 = handle.at;
    const start = distanceOf(handle, bare(this.source));
    dragged(
      this.$el,
      event,
      (at) => {
        this.dragging = true;
        const to = this.place(at);
        // With Alt a pin stays where it is, and up and down change its distance.
        if (at.altKey && start !== null) shot().sketch(puttingDistance(handle, nudged(start, (event.clientY - at.clientY) / 3)));
        else shot().sketch(handle.move([at0[0] + to[0] - from[0], at0[1] + to[1] - from[1]]), sizing().on);
      },
      (moved) => {
        this.dragging = false;
        if (moved) shot().commit();
      },
    );
  },
  twice(/** @type {Pointed} */ event) {
    if (event.target.dataset?.act !== "way" || !this.source?.stops) return;
    const to = this.place(event);
    shot().commit(addingStop(shareAt(bare(this.source), to)));
  },
  key(/** @type {Pressed} */ event) {
    const id = event.target.dataset?.handle;
    if (!id || event.ctrlKey || event.metaKey) return;
    const handle = this.find(id);
    if (!handle) return;
    const start = distanceOf(handle, bare(this.source));
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const by = event.altKey ? -(arrows?.[1] ?? 0) : 0; // up is farther
    const step = event.shiftKey ? 10 : 1;
    let change = null;
    if (by && start !== null) change = puttingDistance(handle, nudged(start, by));
    else if (arrows && !event.altKey) change = handle.move([handle.at[0] + arrows[0] * step, handle.at[1] + arrows[1] * step]);
    else if (event.key === "Delete" && handle.stop !== undefined) change = removingStop(handle.stop);
    if (!change) return;
    event.preventDefault();
    shot().commit(change);
  },
});
