// Following outlines: start, watch, cancel; frames that need a look; files in and out.
import { askJson } from "../design/scripts/server.js";
import { bare, countOf, outlinesOf } from "./document.js";
import { foundMatte, howWords } from "./found.js";
import { handFrames, lines, togglingHandKey } from "./lines.js";
import { pointOf } from "./plane.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const EVERY = 250; // ms between two looks at how far it is,
const AT_FIRST = 100; // and until something was found
const ASK_EVERY = 1500; // ms
const MOST_MISSES = 20; // answers that may fail in a row until it is told

export const work = () => window.Alpine.store("work");

// How far a matte can be trusted over time: of the stretch that the numbers are of, and where to look in the whole shot.
/** @param {string | null} subject @param {string | null} [line] */
export const healthOf = (subject, line) => bare(shot().reading?.health?.[subject ?? ""]?.[line ?? ""] ?? null);

// Work on footage that is still being prepared is asked for again until that is done.
/** @param {string} url @param {object} order @returns {Promise<any>} */
export async function askWhenPrepared(url, order) {
  for (let told = false; ; told = true) {
    try {
      return await askJson("POST", url, order);
    } catch (/** @type {any} */ refusal) {
      if (!refusal.answer?.preparing) throw refusal;
      if (!told) toast("The footage is still being prepared. This begins by itself when that is done.");
      await new Promise((resolve) => setTimeout(resolve, ASK_EVERY));
    }
  }
}

const isBeingFollowed = () => work().now?.subject === shot().chosen;

export function looksWords(/** @type {[number, number][]} */ looks) {
  const count = looks.reduce((sum, [first, last]) => sum + last - first + 1, 0);
  return count === 0 ? "No frame needs a look." : `${count} ${count === 1 ? "frame needs" : "frames need"} a look.`;
}

export function createWork() {
  return {
    /** @type {Api["FollowState"] | null} */
    now: null,
    /** @type {number | null} */
    left: null, // s until it ends, by how quickly it went so far
    /** @type {{ frame: number; url: string } | null} */
    newest: null, // a matte that was found just now
    waits: false, // for the footage to be prepared
    scope: "all", // outlines that touch know more of each other when they are followed together
    onLoss: "carry-on",
    keys: "keep",

    async begin() {
      const running = await askJson("GET", shot().url("follows")).catch(() => []);
      if (running.length) this.watch(running[0]);
    },
    // What is followed is settled when it is asked for, whatever is chosen later.
    wanted() {
      const subject = shot().subject();
      return { subject, line: shot().line, from: viewer().frame };
    },
    /** @param {number} end @param {ReturnType<typeof this.wanted>} [wanted] */
    async follow(end, wanted) {
      const { subject, line, from } = wanted ?? this.wanted();
      const [low, high] = end > from ? [from + 1, end] : [end, from - 1];
      if (!subject) return;
      const order = { subject: subject.id, start: from, end, on_loss: this.onLoss };
      const anew = { subject: subject.id, first: low, last: high }; // hand-made keys that give way
      if (subject.matte.kind === "found") {
        if (this.keys === "replace") await shot().commit({ do: "drop-matte-keys", ...anew });
        await this.order({ what: "mattes", ...order });
        return;
      }
      const outlines = this.scope === "outline" ? [line] : outlinesOf(subject).map((one) => one.id);
      if (this.keys === "replace") await shot().commit({ do: "drop-outline-keys", ...anew, outlines });
      await this.order({ what: "outlines", outlines, ...order });
    },
    async followBoth() {
      const wanted = this.wanted();
      const { first, last } = shot().setup.footage;
      if (wanted.from < last) await this.follow(last, wanted);
      if (wanted.from > first) await this.follow(first, wanted);
    },
    // Any work over frames: sent once all is saved, and watched until it ends.
    async order(/** @type {Order} */ order) {
      window.Alpine.store("brush").start(null);
      if (this.waits) return void toast("This begins by itself when the footage is prepared.");
      try {
        await shot().settled();
        this.waits = true;
        const state = await askWhenPrepared(shot().url("follows"), order).finally(() => (this.waits = false));
        await this.watch(state);
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    async watch(/** @type {FollowState} */ state) {
      /** @type {Api["FollowState"]} */
      let now = state;
      this.now = now;
      this.left = null;
      const begun = { time: performance.now(), done: now.frames_done };
      let doing = "";
      viewer().playing = false;
      let misses = 0;
      while (["queued", "running"].includes(now.state)) {
        await new Promise((resolve) => setTimeout(resolve, now.newest ? EVERY : AT_FIRST));
        try {
          now = this.now = await askJson("GET", `/api/follows/${state.id}`);
          misses = 0;
        } catch (/** @type {any} */ refusal) {
          misses += 1;
          if (refusal.status !== 404 && misses < MOST_MISSES) continue; // the work goes on, whatever one answer was
          toast(refusal.message, true);
          break;
        }
        if (now.state === "running") doing = now.words;
        const done = now.frames_done - begun.done;
        if (done > 0) this.left = (((performance.now() - begun.time) / 1000) * (now.frames - now.frames_done)) / done;
        if (now.state === "running" && now.newest) this.show(now.newest);
      }
      const { message, frame, what, state: ended } = now;
      lines().live = null;
      this.newest = null;
      await shot().refresh();
      if (["outlines", "mattes", "source"].includes(what)) viewer().go(frame);
      this.now = null; // the work is over when the page shows what came of it
      viewer().fill();
      if (message) toast(message, ended === "failed");
      const about = ended === "done" ? doing : now.words;
      const done = `${now.frames_done} ${now.frames_done === 1 ? "frame" : "frames"} done`;
      window.Alpine.store("jobs").end(message || (about ? `${about}: ${done}` : done));
    },
    show(/** @type {Api["Newest"]} */ { frame, outlines, matte }) {
      if (matte && this.now) this.newest = { frame, url: `/api/follows/${this.now.id}/newest.png?of=${matte}` };
      /** @type {Record<string, any>[]} */
      const bySubject = Object.values(/** @type {any} */ (outlines));
      for (const one of bySubject) for (const line of Object.values(one)) line.points = line.points.map(pointOf);
      lines().live = { frame, at: outlines };
      viewer().go(frame);
    },
    async cancel() {
      if (this.now) await askJson("POST", `/api/follows/${this.now.id}/cancel`).catch((refusal) => toast(refusal.message, true));
    },
    // The next frame after this one that needs a look, going round.
    /** @param {[number, number][]} looks */
    next(looks) {
      const after = viewer().frame + 1;
      const ahead = looks.find(([, last]) => last >= after);
      if (ahead) return Math.max(ahead[0], after);
      return looks.length ? looks[0][0] : null;
    },
    // What was followed just now is read first.
    async look(of = () => healthOf(shot().chosen, shot().line)) {
      await shot().counted();
      const frame = this.next(of()?.looks ?? []);
      if (frame === null) toast("No frame of it needs a look.");
      else viewer().go(frame);
    },
  };
}

export const ends = {
  back: () => shot().setup.footage.first,
  "one-back": () => viewer().frame - 1,
  "one-ahead": () => viewer().frame + 1,
  ahead: () => shot().setup.footage.last,
};

export const followParts = {
  following: () => ({
    get idle() {
      return work().now === null;
    },
    get drawn() {
      return shot().subject()?.matte.kind === "outline";
    },
    get followed() {
      return shot().subject()?.matte.kind !== "imported";
    },
    async follow(/** @type {Given} */ event) {
      /** @type {{ to: keyof typeof ends | "both" }} */
      const { to } = event.currentTarget.dataset;
      await (to === "both" ? work().followBoth() : work().follow(ends[to]()));
    },
    get atStart() {
      return viewer().frame <= shot().setup.footage.first;
    },
    get atEnd() {
      return viewer().frame >= shot().setup.footage.last;
    },
    isScope(/** @type {string} */ value) {
      return work().scope === value;
    },
    scope(/** @type {Given} */ event) {
      work().scope = event.currentTarget.dataset.value;
    },
    isLoss(/** @type {string} */ value) {
      return work().onLoss === value;
    },
    loss(/** @type {Given} */ event) {
      work().onLoss = event.currentTarget.dataset.value;
    },
    isKeys(/** @type {string} */ value) {
      return work().keys === value;
    },
    keys(/** @type {Given} */ event) {
      work().keys = event.currentTarget.dataset.value;
    },
    isEase(/** @type {string} */ value) {
      return shot().outline()?.placement.keys[0].ease === value;
    },
    ease(/** @type {Given} */ event) {
      shot().commit({ do: "ease-outline", subject: shot().chosen, outline: shot().line, ease: event.currentTarget.dataset.value });
    },
    look() {
      work().look();
    },
    get lookWords() {
      const health = healthOf(shot().chosen, shot().line);
      if (!health?.followed) return isBeingFollowed() ? "It is being followed." : "Not followed yet.";
      return looksWords(health.looks);
    },
    get nowWords() {
      const { first, step } = shot().reading ?? { first: 0, step: 1 };
      const at = healthOf(shot().chosen, shot().line)?.frames[Math.floor((viewer().frame - first) / step)];
      if (!at || isBeingFollowed()) return "";
      const matte = foundMatte() || shot().subject()?.matte.kind === "imported";
      const kind = matte ? howWords(at[0]) : { h: "made by hand", f: "followed", r: "followed", p: "predicted: not seen", b: "between keys" }[at[0]];
      if (["h", "b", "-", "n"].includes(at[0])) return `This frame: ${kind}.`;
      const shown = at[0] === "r" ? " What was seen of it shows, not its line; a key made here shows the line." : "";
      return `This frame: ${kind}, confidence ${(at[1] / 100).toFixed(2)}.${shown}`;
    },
    get keyWords() {
      const outline = shot().outline();
      if (!outline) return "";
      return handFrames(outline).includes(viewer().frame) && handFrames(outline).length > 1 ? "Remove key" : "Key here";
    },
    toggleKey() {
      if (lines().shown) shot().commit(togglingHandKey(shot().line));
    },
    get keysWords() {
      const outline = shot().outline();
      if (!outline) return "";
      const frames = handFrames(outline);
      if (frames.length === 1 && countOf(outline.steps) === 0) return "It holds still. Follow it, or key it at two frames and it moves between them.";
      return `Made by hand at ${frames.length === 1 ? "frame" : "frames"} ${frames.join(", ")}.`;
    },
    get fileUrl() {
      return `/api/shots/${shot().id}/outlines/${shot().chosen}.svg`;
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const id = shot().chosen;
      const { frame } = viewer();
      try {
        const outlines = await askJson("POST", shot().url("outlines/read"), { text: await file.text(), frame }, undefined, true);
        await shot().commit({ do: "add-outlines", subject: id, outlines });
        if (shot().chosen === id) shot().line = outlinesOf(shot().subject(id)).at(-outlines.length)?.id ?? "";
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
  }),
};
