// The Render stage: ordering, following and cancelling renders.
import { askJson } from "../design/scripts/server.js";
import { askWhenPrepared } from "./following.js";
import { lasts } from "./speed.js";
import { toast } from "./toasts.js";
import { duration } from "./words.js";

const shot = () => window.Alpine.store("shot");
const FOLLOW_EVERY = 600; // ms
/** @type {Record<string, string>} */
const MADE = { result: "Result", webm: "Own layer", prores: "Own layer" };
const ACTIVE = ["queued", "running"];

export const rendering = () => window.Alpine.store("renders");

export function describedRender(/** @type {Api["RenderState"]} */ one) {
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

// The renders of this shot, newest first.
export function createRenders() {
  return {
    /** @type {Api["RenderState"][]} */
    list: [],
    following: false,
    wanted: false,
    get active() {
      return this.list.filter((one) => ACTIVE.includes(one.state));
    },
    // Look until nothing is under way any more. What is ordered during a look is looked for in the next one.
    async follow() {
      this.wanted = true;
      if (this.following) return;
      this.following = true;
      try {
        while (this.wanted) {
          this.wanted = false;
          const before = this.active.map((one) => one.id);
          this.list = await askJson("GET", shot().url("renders"));
          for (const one of this.list) {
            if (before.includes(one.id) && !ACTIVE.includes(one.state)) window.Alpine.store("jobs").end(`${describedRender(one).title}: ${one.words}`);
          }
          shot().renderWords = this.list[0]?.words ?? "not yet";
          if (this.active.length === 0) continue;
          await new Promise((resolve) => setTimeout(resolve, FOLLOW_EVERY));
          this.wanted = true;
        }
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
      this.following = false;
    },
    async cancel(/** @type {number} */ id) {
      try {
        await askJson("POST", `/api/renders/${id}/cancel`);
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
      this.follow();
    },
  };
}

export const renders = () => ({
  starting: false,
  whose: "",
  format: "png-8",
  gapWords: "",
  /** @type {any} */
  refused: null,
  get list() {
    return rendering().list.map(describedRender);
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
    const [seconds, before] = lasts();
    const retimed = seconds === before ? "" : `; at the shot's speed they take ${seconds.toFixed(2)} s`;
    return `frames ${first} to ${last}, ${timecodes[first]} to ${timecodes[last]}${retimed}`;
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
      await askWhenPrepared(shot().url("renders"), { first, last, ...wanted });
    } catch (/** @type {any} */ refusal) {
      if (refusal.answer?.gaps) {
        this.gapWords = refusal.message;
        this.refused = wanted;
      } else toast(refusal.message, true);
    }
    this.starting = false;
    rendering().follow();
  },
  cancel(/** @type {Given} */ event) {
    rendering().cancel(event.currentTarget.dataset.id);
  },
});
