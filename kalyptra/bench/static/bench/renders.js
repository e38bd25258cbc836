// The Render stage: ordering, following and cancelling renders.
import { askJson } from "../design/scripts/server.js";
import { toast } from "./toasts.js";
import { duration } from "./words.js";

const shot = () => window.Alpine.store("shot");
const FOLLOW_EVERY = 600; // ms
/** @type {Record<string, string>} */
const MADE = { result: "Result", webm: "Cut-out", prores: "Cut-out" };
const ACTIVE = ["queued", "running"];

function described(/** @type {Api["RenderState"]} */ one) {
  const detail = [];
  if (one.state === "running") {
    detail.push(`${one.frames_done} of ${one.frames}`);
    if (one.frames_a_second > 0) detail.push(`${one.frames_a_second.toFixed(1)} frames/s`);
    if (one.seconds_left !== null) detail.push(`${duration(one.seconds_left)} left`);
  } else detail.push(`revision ${one.revision}`);
  return {
    ...one,
    title: `${MADE[one.made] ?? "Mattes"}, frames ${one.first} to ${one.last}`,
    active: ACTIVE.includes(one.state),
    detail: detail.join(", "),
    href: `/renders/${one.id}/result.mp4`,
  };
}

export const renders = () => ({
  /** @type {ReturnType<typeof described>[]} */
  list: [],
  url: "",
  starting: false,
  whose: "",
  format: "png-8",
  gapWords: "",
  /** @type {any} */
  refused: null,
  following: false,
  wanted: false,
  init() {
    this.url = this.$el.dataset.url;
    this.follow();
  },
  get subjects() {
    return shot().setup.subjects;
  },
  get empty() {
    return this.list.length === 0;
  },
  get rangeWords() {
    const { first, last } = shot().setup.footage;
    const { timecodes } = shot().clip;
    return `frames ${first} to ${last}, ${timecodes[first]} to ${timecodes[last]}`;
  },
  // Look until nothing is under way any more. What is ordered during a look is looked for in the next one.
  async follow() {
    this.wanted = true;
    if (this.following) return;
    this.following = true;
    try {
      while (this.wanted) {
        this.wanted = false;
        this.list = (await askJson("GET", this.url)).map(described);
        const newest = this.list[0];
        shot().renderWords = newest ? newest.words : "not yet";
        if (!this.list.some((one) => one.active)) continue;
        await new Promise((resolve) => setTimeout(resolve, FOLLOW_EVERY));
        this.wanted = true;
      }
    } catch (/** @type {any} */ refusal) {
      toast(refusal.message, true);
    }
    this.following = false;
  },
  start() {
    return this.order({ made: "result" });
  },
  startMattes() {
    return this.order({ made: this.format, subject: this.whose });
  },
  startAnyway() {
    return this.order({ ...this.refused, gaps: true });
  },
  async order(/** @type {object} */ wanted) {
    this.starting = true;
    this.gapWords = "";
    try {
      await shot().settled();
      const { first, last } = shot().setup.footage;
      await askJson("POST", this.url, { first, last, ...wanted });
    } catch (/** @type {any} */ refusal) {
      if (refusal.answer?.gaps) {
        this.gapWords = refusal.message;
        this.refused = wanted;
      } else toast(refusal.message, true);
    }
    this.starting = false;
    this.follow();
  },
  async cancel(/** @type {Given} */ event) {
    try {
      await askJson("POST", `/api/renders/${event.currentTarget.dataset.id}/cancel`);
    } catch (/** @type {any} */ refusal) {
      toast(refusal.message, true);
    }
    this.follow();
  },
});
