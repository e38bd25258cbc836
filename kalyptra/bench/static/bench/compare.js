// The result beside another picture of the same frame: the source, an earlier revision, or another shot's setup.
import { askJson } from "../design/scripts/server.js";
import { dragged } from "./drag.js";
import { svg } from "./svg.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const compare = () => window.Alpine.store("compare");

const STEP = 0.02; // of the width that a key moves the line
const TURN = 5; // degrees that a key turns it
const MODES = ["split", "next", "flick"];

export function createCompare() {
  return {
    against: "source", // the source, `r` and a revision, or `s` and a shot
    at: 0.5, // where the line crosses the middle row, as a share of the width
    turn: 0, // degrees off upright
    other: false, // of flicking: the other picture is up
    /** @type {Api["Done"][]} */
    history: [],

    get on() {
      return MODES.includes(viewer().beside);
    },
    begin() {
      viewer().put("split");
      this.read();
    },
    end() {
      viewer().put("alone");
    },
    async read() {
      try {
        this.history = await askJson("GET", shot().url("history"));
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    // Where the other picture of a frame comes from.
    url(/** @type {number} */ frame) {
      const id = Number(this.against.slice(1));
      if (this.against === "source") return viewer().url(frame, "source");
      if (this.against.startsWith("r")) return viewer().url(frame, "result", id);
      return viewer().url(frame, "result", shot().otherShots.find((one) => one.id === id)?.revision ?? 1, id);
    },
    flick() {
      if (viewer().beside !== "flick") {
        viewer().put("flick");
        this.other = true;
      } else this.other = !this.other;
    },
    // The part of the other picture that is seen: all on the right of the line.
    clip(/** @type {number} */ width, /** @type {number} */ height) {
      const far = 4 * (width + height);
      const angle = (this.turn * Math.PI) / 180;
      const [x, y, dx, dy] = [this.at * width, height / 2, Math.sin(angle) * far, Math.cos(angle) * far];
      const corners = [[x - dx, y + dy], [x + dx, y - dy], [x + dx + dy, y - dy + dx], [x - dx + dy, y + dy + dx]]; // prettier-ignore
      return `polygon(${corners.map(([a, b]) => `${a.toFixed(1)}px ${b.toFixed(1)}px`).join(", ")})`;
    },
    move(/** @type {number} */ by) {
      this.at = Math.min(1, Math.max(0, this.at + by));
    },
  };
}

/** @param {string} value @param {string} name */
const choice = (value, name) => ({ value, name, chosen: compare().against === value });

export const compareParts = {
  comparing: () => ({
    get on() {
      return compare().on;
    },
    toggle() {
      if (compare().on) compare().end();
      else compare().begin();
    },
    is(/** @type {string} */ mode) {
      return viewer().beside === mode;
    },
    put(/** @type {Given} */ event) {
      compare().other = true;
      viewer().put(event.currentTarget.dataset.mode);
    },
    get choices() {
      const revisions = compare().history.filter((one) => one.revision !== shot().saved.revision).slice(0, 40); // prettier-ignore
      return [
        choice("source", "the source"),
        ...revisions.map((one) => choice(`r${one.revision}`, one.name ? `${one.name} (revision ${one.revision})` : `revision ${one.revision}`)),
        ...shot().otherShots.map((one) => choice(`s${one.id}`, `the setup of ${one.title}`)),
      ];
    },
    choose(/** @type {Given} */ event) {
      compare().against = event.target.value;
      viewer().put(viewer().beside);
    },
    get flickWords() {
      return compare().other ? "the other is up" : "this one is up";
    },
    get flicking() {
      return viewer().beside === "flick";
    },
    flick() {
      compare().flick();
    },
  }),

  // The line between the two, which can be dragged by its middle and turned by its end.
  splitLine: () => ({
    init() {
      window.Alpine.effect(() => this.draw());
      this.$el.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.grab(event));
      this.$el.addEventListener("keydown", (/** @type {Pressed} */ event) => this.keyed(event));
    },
    get visible() {
      return viewer().beside === "split";
    },
    draw() {
      const { width, height } = shot().clip;
      const { at, turn } = compare();
      const focused = this.$el.contains(document.activeElement);
      const size = 9 / viewer().scale;
      const x = at * width;
      const away = height * 0.34;
      const angle = (turn * Math.PI) / 180;
      const end = { x: x + Math.sin(angle) * away, y: height / 2 - Math.cos(angle) * away };
      const far = 2 * (width + height);
      const line = { x1: x - Math.sin(angle) * far, y1: height / 2 + Math.cos(angle) * far, x2: x + Math.sin(angle) * far, y2: height / 2 - Math.cos(angle) * far }; // prettier-ignore
      const value = {
        "aria-valuenow": Math.round(at * 100),
        "aria-valuemin": 0,
        "aria-valuemax": 100,
        "aria-valuetext": `${Math.round(at * 100)} % across, turned ${turn} degrees`,
      };
      const handle = svg("circle", { class: "split-handle", cx: x, cy: height / 2, r: size, tabindex: 0, role: "slider", "aria-label": "Line between the two pictures", "data-split": "move", ...value }); // prettier-ignore
      this.$el.replaceChildren(
        svg("line", { class: "split-halo", ...line }),
        svg("line", { class: "split-line", ...line }),
        handle,
        svg("circle", { class: "split-turn", cx: end.x, cy: end.y, r: size * 0.7, "data-split": "turn" }),
      );
      if (focused) handle.focus({ preventScroll: true });
    },
    grab(/** @type {Pointed} */ event) {
      const act = event.target.dataset.split;
      if (!act || event.button !== 0) return;
      const box = this.$el.getBoundingClientRect();
      const place = (/** @type {PointerEvent} */ at) => ({ x: (at.clientX - box.left) / box.width, y: (at.clientY - box.top) / box.height });
      const move = (/** @type {PointerEvent} */ at) => {
        const { x, y } = place(at);
        if (act === "move") compare().at = Math.min(1, Math.max(0, x));
        else compare().turn = Math.round((Math.atan2((x - compare().at) * box.width, (0.5 - y) * box.height) * 180) / Math.PI);
      };
      dragged(this.$el, event, move, undefined, 0);
    },
    keyed(/** @type {Pressed} */ event) {
      /** @type {Record<string, () => void>} */
      const actions = {
        ArrowLeft: () => compare().move(-STEP),
        ArrowRight: () => compare().move(STEP),
        ArrowUp: () => (compare().turn += TURN),
        ArrowDown: () => (compare().turn -= TURN),
      };
      if (!actions[event.key]) return;
      event.preventDefault();
      event.stopPropagation();
      actions[event.key]();
    },
  }),
};
