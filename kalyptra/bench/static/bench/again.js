// Look again later: a revision is kept, and after some minutes shown beside the present one, without saying which is which.
import { askJson } from "../design/scripts/server.js";
import { remember, remembered } from "./remembered.js";
import { toast } from "./toasts.js";
import { timeOfDay } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const LATER = 7; // min; people judge anew after 5 to 10 (common practice, no source)
const LOOK_EVERY = 2000; // ms

const name = () => `again:${shot().id}`;

export function createAgain() {
  return {
    waiting: remembered(name(), /** @type {{ revision: number; due: number } | null} */ (null)),
    async plan(/** @type {number} */ minutes) {
      const { revision } = shot().saved;
      try {
        await askJson("POST", shot().url("names"), { revision, name: `looked at ${timeOfDay(Date.now())}` });
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
        return;
      }
      this.waiting = { revision, due: Date.now() + minutes * 60000 };
      remember(name(), this.waiting);
    },
    forget() {
      this.waiting = null;
      remember(name(), null);
    },
  };
}

const again = () => window.Alpine.store("again");

export const againParts = {
  lookingAgain: () => ({
    minutes: LATER,
    get words() {
      const { waiting } = again();
      return waiting ? `Revision ${waiting.revision} comes back at ${timeOfDay(waiting.due)}.` : "";
    },
    plan() {
      again().plan(Math.min(240, Math.max(0.05, Number(this.minutes) || LATER)));
    },
  }),

  // The two, left and right; which is which is said when one was chosen.
  whichIsBetter: () => ({
    revision: 0,
    keptLeft: false,
    left: "",
    right: "",
    init() {
      setInterval(() => this.look(), LOOK_EVERY);
    },
    look() {
      const { waiting } = again();
      if (!waiting || Date.now() < waiting.due || document.querySelector("dialog[open]")) return;
      again().forget();
      if (waiting.revision === shot().saved.revision) {
        toast("Nothing was changed since this revision was kept. Look at it with fresh eyes.");
        return;
      }
      const pair = [waiting.revision, shot().saved.revision].map((revision) => viewer().url(viewer().frame, "result", revision));
      this.revision = waiting.revision;
      this.keptLeft = Math.random() < 0.5;
      [this.left, this.right] = this.keptLeft ? pair : pair.reverse();
      this.$refs.again.showModal();
    },
    answer(/** @type {Given} */ event) {
      const { side } = event.currentTarget.dataset;
      this.$refs.again.close();
      if (side === "same") toast(`You see no difference between revision ${this.revision} and the present one.`);
      else if ((side === "left") === this.keptLeft) toast(`You prefer the kept one, revision ${this.revision}. History puts it back.`);
      else toast(`You prefer the present one to revision ${this.revision}.`);
    },
  }),
};
