// The cards in space over the picture: their edges, and of the chosen one corners that are dragged to where they should be.
import { bare } from "./bare.js";
import { dragged } from "./drag.js";
import { cardsOf, inSpace } from "./space.js";
import { survey } from "./survey.js";
import { focusedIn, svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const NAMES = ["Upper left", "Upper right", "Lower right", "Lower left"];

/** @param {Pair[]} corners @param {number} frame @param {number | null} held */
const placing = (corners, frame, held) => ({
  do: "place-card",
  card: shot().card,
  frame,
  corners: corners.map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]),
  held,
});

export const cardFrames = () => ({
  /** @type {{ corner: number, at: Pair } | null} */
  held: null, // the corner that is being dragged, and where it is wanted
  init() {
    window.Alpine.effect(() => this.draw());
    this.$el.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.down(event));
    this.$el.addEventListener("keydown", (/** @type {Pressed} */ event) => this.key(event));
  },
  get visible() {
    return shot().stage === "footage" && Boolean(inSpace()) && !viewer().playing;
  },
  /** @param {string} [id] @returns {Pair[] | undefined} */
  cornersOf(id) {
    return bare(survey().now?.space?.seen)?.[id ?? shot().card];
  },
  draw() {
    if (!this.visible) return;
    const scale = viewer().scale;
    const parts = [];
    for (const { id, name } of cardsOf()) {
      const corners = this.cornersOf(id);
      if (!corners) continue;
      const d = `M${corners.map(([x, y]) => `${x} ${y}`).join("L")}Z`;
      const chosen = id === shot().card;
      parts.push(svg("path", { class: "shape-halo", d }), svg("path", { class: `card-edge ${chosen ? "chosen" : ""}`, d, "data-act": chosen ? "card" : "choose", "data-id": id })); // prettier-ignore
      if (!chosen) continue;
      corners.forEach((corner, i) => {
        const [x, y] = this.held?.corner === i ? this.held.at : corner;
        const words = `${NAMES[i]} corner of ${name}, ${Math.round(x)}, ${Math.round(y)} px`;
        parts.push(svg("circle", { class: "handle source-handle source-pin", cx: x, cy: y, r: 6 / scale, "data-act": "corner", "data-handle": i, tabindex: 0, role: "button", "aria-label": words })); // prettier-ignore
      });
    }
    const focused = focusedIn(this.$el)?.dataset.handle;
    this.$el.replaceChildren(...parts);
    if (focused) this.$el.querySelector(`[data-handle="${focused}"]`)?.focus({ preventScroll: true });
  },
  down(/** @type {Pointed} */ event) {
    const { act, handle, id } = event.target.dataset ?? {};
    if (event.button !== 0 || viewer().panning || !act) return;
    event.preventDefault();
    if (act === "choose") {
      shot().card = id;
      return;
    }
    event.target.focus?.({ preventScroll: true });
    const from = this.cornersOf();
    if (!from) return;
    const frame = viewer().frame;
    const corner = act === "corner" ? Number(handle) : null;
    const scale = shot().clip.width / this.$el.getBoundingClientRect().width;
    dragged(
      this.$el,
      event,
      (at) => {
        const [dx, dy] = [(at.clientX - event.clientX) * scale, (at.clientY - event.clientY) * scale];
        const to = from.map(([x, y], i) => /** @type {Pair} */ (corner === null || corner === i ? [x + dx, y + dy] : [x, y]));
        if (corner !== null) this.held = { corner, at: to[corner] };
        shot().sketch(placing(to, frame, corner));
      },
      (moved) => {
        this.held = null;
        if (moved) shot().commit();
      },
    );
  },
  key(/** @type {Pressed} */ event) {
    const { handle } = event.target.dataset ?? {};
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const from = this.cornersOf();
    if (!handle || !arrow || !from) return;
    event.preventDefault();
    const step = event.shiftKey ? 10 : 1;
    const corner = Number(handle);
    const to = from.map(([x, y], i) => /** @type {Pair} */ (i === corner ? [x + arrow[0] * step, y + arrow[1] * step] : [x, y]));
    shot().commit(placing(to, viewer().frame, corner));
  },
});
