// The shapes over the picture: drawn where the server says they are at this frame, dragged by handles.
import { putting } from "./fields.js";
import { svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const LEAST = 4; // px that a shape is wide and high at least
const PATH = "@.matte.placement";

const rad = (degrees) => (degrees * Math.PI) / 180;

// A shape's outline, grown by `by` px on every side, around the origin.
function outline(form, corner, at, by, attributes) {
  const width = Math.max(0, at.width / 2 + by);
  const height = Math.max(0, at.height / 2 + by);
  const transform = `translate(${at.x} ${at.y}) rotate(${at.turn})`;
  if (form === "ellipse") return svg("ellipse", { rx: width, ry: height, transform, ...attributes });
  const radius = Math.max(0, (corner * Math.min(at.width, at.height)) / 2 + by);
  return svg("rect", { x: -width, y: -height, width: 2 * width, height: 2 * height, rx: radius, transform, ...attributes });
}

// Each handle: where it lies in the shape's own axes (in half sizes), what it does, and its name.
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

function turned(at, u, v) {
  const [c, s] = [Math.cos(rad(at.turn)), Math.sin(rad(at.turn))];
  return { x: at.x + u * c - v * s, y: at.y + u * s + v * c };
}

// The opposite side stays where it is, unless the whole is scaled about its centre.
function scaled(at, handle, dx, dy, centred) {
  const [c, s] = [Math.cos(rad(at.turn)), Math.sin(rad(at.turn))];
  const [u, v] = [dx * c + dy * s, dy * c - dx * s];
  const share = centred ? 2 : 1;
  const width = Math.max(LEAST, at.width + handle.u * u * share);
  const height = Math.max(LEAST, at.height + handle.v * v * share);
  if (centred) return { ...at, width, height };
  const middle = turned(at, (handle.u * (width - at.width)) / 2, (handle.v * (height - at.height)) / 2);
  return { ...at, ...middle, width, height };
}

const words = {
  move: (at) => `x ${at.x.toFixed(0)} px, y ${at.y.toFixed(0)} px`,
  scale: (at) => `${at.width.toFixed(0)} x ${at.height.toFixed(0)} px`,
  turn: (at) => `${at.turn.toFixed(1)}°`,
};

function tidy(at) {
  const tidied = {};
  for (const [name, value] of Object.entries(at)) tidied[name] = Number(value.toFixed(2));
  return tidied;
}

export const overlay = () => ({
  held: null,
  init() {
    window.Alpine.effect(() => this.draw());
    this.$el.addEventListener("pointerdown", (event) => this.down(event));
    this.$el.addEventListener("keydown", (event) => this.key(event));
  },
  get visible() {
    return shot().stage === "subjects" && !viewer().playing;
  },
  placement(id) {
    const read = shot().at(viewer().frame)?.subjects[id];
    if (!read) return null;
    const { x, y, width, height, turn } = read;
    return { x, y, width, height, turn };
  },
  draw() {
    if (!this.visible) return;
    const focused = document.activeElement?.closest?.("svg") === this.$el ? document.activeElement.dataset.act : null;
    const parts = [];
    for (const one of shot().setup.subjects) {
      const chosen = one.id === shot().chosen;
      const at = chosen && this.held ? this.held : this.placement(one.id);
      if (!at) continue;
      const { form, corner } = one.matte;
      const ink = `ink-${one.ink}`;
      parts.push(outline(form, corner, at, 0, { class: "shape-halo" }));
      parts.push(outline(form, corner, at, 0, { class: `shape-line ${ink}`, "data-act": "move", "data-id": one.id,
        tabindex: 0, role: "button", "aria-label": `Move ${one.name}` })); // prettier-ignore
      if (chosen) parts.push(...this.rings(one, at, ink), ...this.handles(one, at, ink));
    }
    this.$el.replaceChildren(...parts);
    if (focused) this.$el.querySelector(`[data-act="${focused}"]`)?.focus({ preventScroll: true });
  },
  rings(one, at, ink) {
    const { grow, feather_in: inwards, feather_out: outwards } = one.refine;
    const rings = [];
    const ring = (by) => outline(one.matte.form, one.matte.corner, at, by, { class: `shape-ring ${ink}` });
    if (inwards > 0) rings.push(ring(grow - inwards));
    if (outwards > 0) rings.push(ring(grow + outwards));
    if (grow !== 0) rings.push(ring(grow));
    return rings;
  },
  handles(one, at, ink) {
    const size = 5 / (viewer().scale || 1);
    const common = { class: `handle ${ink}`, tabindex: 0, role: "button", "data-id": one.id };
    const found = HANDLES.map((handle) => {
      const { x, y } = turned(at, (handle.u * at.width) / 2, (handle.v * at.height) / 2);
      return svg("rect", { ...common, x: x - size, y: y - size, width: 2 * size, height: 2 * size,
        "data-act": `scale-${handle.id}`, "aria-label": `Scale ${one.name}: ${handle.name}` }); // prettier-ignore
    });
    const top = turned(at, 0, -at.height / 2);
    const knob = turned(at, 0, -at.height / 2 - 26 / (viewer().scale || 1));
    found.push(svg("line", { class: `shape-ring ${ink}`, x1: top.x, y1: top.y, x2: knob.x, y2: knob.y }));
    found.push(svg("circle", { ...common, cx: knob.x, cy: knob.y, r: size * 1.2, "data-act": "turn", "aria-label": `Turn ${one.name}` }));
    return found;
  },
  point(event) {
    const box = this.$el.getBoundingClientRect();
    const scale = shot().clip.width / box.width;
    return { x: (event.clientX - box.left) * scale, y: (event.clientY - box.top) * scale };
  },
  next(act, start, from, to, event) {
    const [dx, dy] = [to.x - from.x, to.y - from.y];
    if (act === "move") return { ...start, x: start.x + dx, y: start.y + dy };
    if (act === "turn") {
      const before = Math.atan2(from.y - start.y, from.x - start.x);
      const after = Math.atan2(to.y - start.y, to.x - start.x);
      const turn = start.turn + ((after - before) * 180) / Math.PI;
      return { ...start, turn: event.shiftKey ? Math.round(turn / 15) * 15 : turn };
    }
    return scaled(start, HANDLES.find((one) => `scale-${one.id}` === act), dx, dy, event.altKey);
  },
  down(event) {
    const act = event.target.dataset?.act;
    if (!act || event.button !== 0) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    if (shot().chosen !== event.target.dataset.id) {
      shot().chosen = event.target.dataset.id;
      viewer().subjectChanged();
    }
    const start = this.placement(shot().chosen);
    const from = this.point(event);
    let moved = false;
    this.$el.setPointerCapture(event.pointerId);
    const move = (at) => {
      const next = this.next(act, start, from, this.point(at), at);
      if (!moved && Math.hypot(at.clientX - event.clientX, at.clientY - event.clientY) < 2) return;
      moved = true;
      this.held = tidy(next);
      this.tag(act, next, at);
      shot().draft(putting(PATH, this.held));
      this.draw();
    };
    const end = () => {
      this.$el.removeEventListener("pointermove", move);
      this.tag(null);
      if (moved) shot().commit().then(() => this.letGo());
    };
    this.$el.addEventListener("pointermove", move);
    this.$el.addEventListener("pointerup", end, { once: true });
    this.$el.addEventListener("pointercancel", end, { once: true });
  },
  // The numbers of the saved shape may still be on their way: hold ours until they are here.
  async letGo() {
    while (shot().readingBusy) await new Promise((resolve) => setTimeout(resolve, 20));
    this.held = null;
    this.draw();
  },
  key(event) {
    const act = event.target.dataset?.act;
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    if (!act || !arrows[event.key]) return;
    event.preventDefault();
    const id = event.target.dataset.id;
    shot().chosen = id;
    const [dx, dy] = arrows[event.key].map((one) => one * (event.shiftKey ? 10 : 1));
    const start = this.held ?? this.placement(id);
    if (!start) return;
    const next = act === "turn" ? { ...start, turn: start.turn + dx + dy } : this.next(act, start, { x: 0, y: 0 }, { x: dx, y: dy }, event);
    this.held = tidy(next);
    shot().commit(putting(PATH, this.held)).then(() => this.letGo());
    this.draw();
  },
  tag(act, at, event) {
    const tag = this.$el.parentElement.querySelector(".tag");
    tag.hidden = !act;
    if (!act) return;
    const kind = act.startsWith("scale") ? "scale" : act;
    const box = this.$el.parentElement.getBoundingClientRect();
    tag.textContent = words[kind](at);
    tag.style.left = `${event.clientX - box.left + 16}px`;
    tag.style.top = `${event.clientY - box.top + 14}px`;
  },
});
