// Work under way on this shot, whatever stage is open: how far each job is, time left, and what came of it.
import { work } from "./following.js";
import { describedRender, rendering } from "./renders.js";
import { duration } from "./words.js";

/** @typedef {{ id: string; words: string; detail: string; done: number | null; active: boolean; cancel: () => unknown }} Job */ // done: a share; null where nothing counts

const MOST = 5; // ended ones that are told

export function createJobs() {
  return {
    /** @type {string[]} */
    ended: [], // what came of work on this page, newest first
    end(/** @type {string} */ words) {
      this.ended = [words, ...this.ended].slice(0, MOST);
    },
  };
}

/** @returns {Job[]} */
function allJobs() {
  const { now, left } = work();
  const jobs = /** @type {Job[]} */ ([]);
  if (now) {
    const time = left === null ? "" : `, ${duration(left)}`;
    const back = now.newest?.back;
    const detail = back ? "back from later keys" : `${now.frames_done} of ${now.frames}${time}`;
    jobs.push({ id: "work", words: now.words, detail, done: back ? null : now.frames_done / Math.max(1, now.frames), active: true, cancel: () => work().cancel() }); // prettier-ignore
  }
  for (const render of rendering().active) {
    const { title, detail } = describedRender(render);
    jobs.push({ id: `render-${render.id}`, words: title, detail, done: render.frames_done / Math.max(1, render.frames), active: true, cancel: () => rendering().cancel(render.id) }); // prettier-ignore
  }
  for (const [i, words] of window.Alpine.store("jobs").ended.entries())
    jobs.push({ id: `ended-${i}`, words, detail: "", done: null, active: false, cancel: () => {} });
  return jobs;
}

export const jobs = () => ({
  get list() {
    return allJobs();
  },
  /** @returns {Job | undefined} */
  get first() {
    return allJobs()[0];
  },
  get any() {
    return Boolean(this.first);
  },
  get active() {
    return this.first?.active ?? false;
  },
  get counted() {
    return this.first !== undefined && this.first.done !== null;
  },
  get ended() {
    return this.any && !this.active;
  },
  get words() {
    return this.first?.words ?? "";
  },
  get detail() {
    return this.first?.detail ?? "";
  },
  get done() {
    return this.first?.done ?? 0;
  },
  get several() {
    return allJobs().length > 1;
  },
  get moreWords() {
    return `${allJobs().length - 1} more`;
  },
  cancel() {
    return this.first?.cancel();
  },
  cancelOne(/** @type {Given} */ event) {
    const { id } = event.currentTarget.dataset;
    return allJobs()
      .find((job) => job.id === id)
      ?.cancel();
  },
  forget() {
    window.Alpine.store("jobs").ended = [];
  },
});
