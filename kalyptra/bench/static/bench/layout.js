// Where things are on the page: the chart's height, the picture alone, and parts of sheets that fold. All is remembered.
import { dragged } from "./drag.js";
import { folded } from "./folded.js";
import { remember, remembered } from "./remembered.js";

const shot = () => window.Alpine.store("shot");
const layout = () => window.Alpine.store("layout");

const LEAST = 120; // px of the chart
const PICTURE = 240; // px that the rest of the page needs at least
const SLIM = 202;
const TALL = 0.375; // of the page's height, where the chart is what one works on
const STEP = 20;

export function createLayout() {
  return {
    heights: remembered("chart-heights", /** @type {Record<string, number>} */ ({})), // of the chart, by stage
    unfolded: remembered("parts", /** @type {Record<string, boolean>} */ ({})), // parts that somebody folded or unfolded
    alone: false, // the picture without all else

    get height() {
      const wanted = this.heights[shot().stage] ?? (shot().stage === "pull" ? TALL * window.innerHeight : SLIM);
      return Math.round(Math.max(LEAST, Math.min(wanted, window.innerHeight - PICTURE)));
    },
    put(/** @type {number} */ height) {
      const within = Math.round(Math.max(LEAST, Math.min(height, window.innerHeight - PICTURE)));
      this.heights = { ...this.heights, [shot().stage]: within };
    },
    keep() {
      remember("chart-heights", this.heights);
    },
    /** @param {string} part @param {boolean} open */
    fold(part, open) {
      this.unfolded = { ...this.unfolded, [part]: open };
      remember("parts", this.unfolded);
    },
  };
}

export const layoutParts = {
  divider: () => ({
    get height() {
      return layout().height;
    },
    get words() {
      return `${layout().height} px`;
    },
    grab(/** @type {Pointed} */ event) {
      if (event.button !== 0) return;
      const start = layout().height;
      const move = (/** @type {PointerEvent} */ at) => layout().put(start + event.clientY - at.clientY);
      dragged(event.currentTarget, event, move, () => layout().keep());
    },
    keyed(/** @type {Pressed} */ event) {
      /** @type {Record<string, number>} */
      const ways = { ArrowUp: STEP, ArrowDown: -STEP };
      const by = ways[event.key];
      if (!by) return;
      event.preventDefault();
      layout().put(layout().height + by);
      layout().keep();
    },
  }),

  part: () => ({
    // What lies in the part sees these names before those of the component around it: none is a plain word.
    partName: "",
    init() {
      this.partName = this.$el.dataset.part;
      this.$el.open = layout().unfolded[this.partName] ?? this.$el.open;
      let before = this.$el.open;
      // Parts that the page opened itself are told as well: only what differs is somebody's wish.
      this.$el.addEventListener("toggle", () => {
        if (this.$el.open !== before) layout().fold(this.partName, this.$el.open);
        before = this.$el.open;
      });
    },
    get partWords() {
      return folded[this.partName]?.() ?? "";
    },
  }),
};
