// The picture: fetched frames, playing, and what is ready. It never shows a frame for another frame or another look.
import { dragged } from "./drag.js";
import { ask, Refusal } from "../design/scripts/server.js";
import { toast } from "./toasts.js";
import { remember, remembered } from "./remembered.js";
import { speedAt } from "./speed.js";
import { metres } from "./words.js";

const REST = 960; // px on the long side, at rest
const SMALL = 480; // for those who want few data, and in a drag in which one took longer than this:
const SLOW = 80; // ms: twelve pictures a second
const SLOW_FOR = 60_000; // ms after a drag until large ones are tried again
const KEPT_BYTES = 300e6;
const AT_ONCE = 2; // pictures that are asked for
const AHEAD = 60; // frames fetched ahead while nothing plays,
const NEXT = 3; // and as long as somebody is at work: until the look was the same for
const SETTLED = 1500; // ms
const LATER = 800; // ms until a frame is asked for again that was not prepared yet
const START_WITH = 8; // frames that must be ready before a stalled play goes on

const OTHERS = ["overlay", "change", "plate", "framed", "behind", "seen", "edges"]; // checks that are looked at less often
const OF_SUBJECT = ["matte", "overlay", "change"]; // views of the chosen subject

const shot = () => window.Alpine.store("shot");
// Something is followed on this shot: the machine is left to that.
const working = () => window.Alpine.store("work").now !== null;
// The browser was told to be sparing, as on a line that is paid for by the megabyte: small pictures, and none ahead.
const sparing = () => Boolean(/** @type {any} */ (navigator).connection?.saveData);
const atRest = () => (sparing() ? SMALL : REST);

// Frames by what they show. Not in the store: pictures need no watching.
const kept = new Map();
let keptBytes = 0;

/** @param {string} key @param {Blob} blob */
function keep(key, blob) {
  kept.set(key, blob);
  keptBytes += blob.size;
  for (const [old, data] of kept) {
    if (keptBytes <= KEPT_BYTES) break;
    kept.delete(old);
    keptBytes -= data.size;
  }
}

/** @param {HTMLCanvasElement} canvas @param {Blob} blob */
async function paintOn(canvas, blob) {
  const bitmap = await createImageBitmap(blob);
  canvas.width = bitmap.width;
  canvas.height = bitmap.height;
  canvas.getContext("2d")?.drawImage(bitmap, 0, 0);
  bitmap.close();
}

async function blobOf(/** @type {Response} */ answer) {
  if (!answer.ok) throw new Refusal(answer.status, await answer.json().catch(() => ({})));
  return answer.blob();
}

export function createViewer() {
  return {
    frame: 0,
    view: "result",
    playing: false,
    waiting: false,
    settled: false, // the look was the same for a while: frames are fetched ahead
    /** @type {number | undefined} */
    settling: undefined,
    /** @type {[number, number][]} */
    ready: [],
    shownKey: "",
    /** @type {any} */
    canvas: null,
    drawing: 0,
    scale: 1, // px of the screen for one of the source
    zoom: 1, // 1 shows the whole picture
    pan: { x: 0, y: 0 }, // px of the screen by which the picture's middle is off
    panning: false,
    beside: "alone", // whether the distances are shown beside the picture, or over it
    tint: remembered("tint", "apart"), // of a matte on the picture
    share: 0.5, // how much of them, laid over it
    /** @type {any} */
    second: null,
    secondKey: "",
    lines: false, // lines of equal distance
    pointed: "", // the distance under the pointer
    draftWanted: false,
    drafts: 0, // asked for and not answered
    draftAsked: 0, // the number of the last one that was asked for,
    draftShown: { number: 0, time: 0 }, // and of the last one that was shown
    draftSize: atRest(),
    slow: 0, // pictures of this drag that took too long
    fetching: new Map(),
    later: false, // a frame was not prepared yet, and is asked for again in a moment
    started: { time: 0, frame: 0 },

    /** @param {HTMLCanvasElement} canvas @param {HTMLCanvasElement} second */
    begin(canvas, second) {
      this.canvas = canvas;
      this.second = second;
      this.go(shot().setup.footage.first);
      this.settle();
    },
    key(/** @type {number} */ frame) {
      const subject = OF_SUBJECT.includes(this.view) ? shot().chosen : "";
      const tint = this.view === "overlay" ? this.tint : "";
      return `${shot().saved.revision}|${this.view}|${tint}${subject}|${frame}`;
    },
    has(/** @type {number} */ frame) {
      return kept.has(this.key(frame));
    },
    // Where a picture comes from: of the revision in force, of another one, or of another shot's (`like`) on this footage.
    /** @param {number} frame @param {string} [view] @param {number} [revision] @param {number} [like] */
    url(frame, view, revision, like) {
      const seen = view ?? this.view;
      const subject = OF_SUBJECT.includes(seen) && shot().chosen ? `&subject=${shot().chosen}` : "";
      const tint = seen === "overlay" ? `&tint=${this.tint}` : "";
      const other = like === undefined ? "" : `&like=${like}`;
      return shot().url(`frames/${revision ?? shot().saved.revision}/${frame}.jpg?view=${seen}&size=${atRest()}${subject}${tint}${other}`);
    },
    put(/** @type {string} */ beside) {
      this.beside = beside;
      this.secondKey = "";
      this.showSecond();
    },
    // The distances of the frame that is shown, or what it is compared with, on a picture of its own.
    async showSecond() {
      if (this.beside === "alone" || this.playing || shot().drafting) return;
      const { on, against } = window.Alpine.store("compare");
      const key = `${shot().saved.revision}|${on ? against : "distance"}|${this.frame}`;
      if (this.secondKey === key) return;
      this.secondKey = key;
      try {
        const url = on ? window.Alpine.store("compare").url(this.frame) : this.url(this.frame, "distance");
        const blob = await blobOf(await ask("GET", url));
        if (this.secondKey !== key) return;
        await paintOn(this.second, blob);
        this.second.dataset.shown = key;
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    go(/** @type {number} */ frame) {
      const { first, last } = shot().setup.footage;
      this.frame = Math.max(first, Math.min(last, Math.round(frame)));
      if (this.playing) this.started = { time: performance.now(), frame: this.frame };
      this.show();
    },
    look(/** @type {string} */ view) {
      this.view = view;
      this.changed();
    },
    zoomBy(/** @type {number} */ by, about = { x: 0, y: 0 }) {
      const zoom = Math.min(40, Math.max(1, this.zoom * by));
      const share = zoom / this.zoom;
      this.pan = zoom === 1 ? { x: 0, y: 0 } : { x: about.x - (about.x - this.pan.x) * share, y: about.y - (about.y - this.pan.y) * share };
      this.zoom = zoom;
    },
    fit() {
      this.zoom = 1;
      this.pan = { x: 0, y: 0 };
    },
    subjectChanged() {
      if (OF_SUBJECT.includes(this.view)) this.changed();
    },
    // The look or the view is another one: nothing that was fetched for the old one may be shown.
    changed() {
      for (const control of this.fetching.values()) control.abort();
      this.fetching.clear();
      this.settle();
      this.show();
    },
    settle() {
      this.settled = false;
      clearTimeout(this.settling);
      this.settling = setTimeout(() => {
        this.settled = true;
        this.fill();
      }, SETTLED);
    },

    async show() {
      if (!shot().drafting) {
        this.slow = 0;
        if (performance.now() - this.draftShown.time > SLOW_FOR) this.draftSize = atRest(); // else as the last drag ended
      }
      this.note();
      this.showSecond();
      const frame = this.frame;
      const key = this.key(frame);
      if (kept.has(key)) await this.paint(key, kept.get(key));
      else {
        this.waiting = true;
        if (!working()) this.fetchFrame(frame); // else the newest frame, once there is room for it
      }
      this.fill();
    },
    /** @param {string} key @param {Blob} blob */
    async paint(key, blob) {
      const turn = ++this.drawing;
      const bitmap = await createImageBitmap(blob);
      // Another picture was asked for meanwhile, or something is being dragged.
      if (turn !== this.drawing || (shot().drafting && key !== "draft")) return;
      this.canvas.width = bitmap.width;
      this.canvas.height = bitmap.height;
      this.canvas.getContext("2d")?.drawImage(bitmap, 0, 0);
      bitmap.close();
      this.shownKey = key;
      this.canvas.dataset.shown = key;
      if (key !== "draft") this.waiting = false;
    },
    async fetchFrame(/** @type {number} */ frame) {
      const key = this.key(frame);
      if (kept.has(key) || this.fetching.has(key)) return;
      const control = new AbortController();
      this.fetching.set(key, control);
      try {
        const blob = await blobOf(await ask("GET", this.url(frame), undefined, control.signal));
        keep(key, blob);
        if (this.key(this.frame) === key && !this.playing) await this.paint(key, blob);
      } catch (/** @type {any} */ error) {
        if (error.answer?.preparing) this.waitForIt();
        else if (error.name !== "AbortError" && this.key(this.frame) === key) {
          this.waiting = false;
          toast(error.message, true);
          this.playing = false;
        }
      } finally {
        if (this.fetching.get(key) === control) this.fetching.delete(key);
        this.note();
        this.fill();
      }
    },
    // The clip is still being prepared: the frame comes later.
    waitForIt() {
      if (this.later) return;
      this.later = true;
      setTimeout(() => {
        this.later = false;
        this.show();
      }, LATER);
    },
    // Fetch ahead of the playhead, wrapping at the end of the range, a few frames at once.
    fill() {
      // While a matte is being found, the machine is left to that.
      if (this.later || shot().drafting || document.hidden || window.Alpine.store("brush").waiting > 0) return;
      const { first, last } = shot().setup.footage;
      const count = last - first + 1;
      const next = working() || sparing() ? 1 : this.settled ? AHEAD : NEXT;
      const reach = this.playing ? count : Math.min(next, count);
      for (let i = 0; i < reach && this.fetching.size < AT_ONCE; i++) {
        const frame = first + ((this.frame - first + i) % count);
        if (!this.has(frame)) this.fetchFrame(frame);
      }
    },
    // Which stretches of the range are ready for what is looked at, as [first, last] pairs.
    note() {
      const { first, last } = shot().setup.footage;
      /** @type {[number, number][]} */
      const found = [];
      for (let frame = first; frame <= last; frame++) {
        if (!this.has(frame)) continue;
        const run = found[found.length - 1];
        if (run && run[1] === frame - 1) run[1] = frame;
        else found.push([frame, frame]);
      }
      this.ready = found;
    },

    toggle() {
      this.secondKey = "";
      this.playing = !this.playing;
      if (!this.playing) return this.show();
      if (this.frame >= shot().setup.footage.last) this.frame = shot().setup.footage.first;
      this.started = { time: performance.now(), frame: this.frame };
      this.fill();
      requestAnimationFrame(() => this.tick());
    },
    tick() {
      if (!this.playing) return;
      const due = this.due();
      if (due !== this.frame || this.shownKey !== this.key(due)) {
        if (this.has(due)) {
          this.frame = due;
          this.waiting = false;
          const key = this.key(due);
          if (this.shownKey !== key) this.paint(key, kept.get(key));
        } else this.stall();
      }
      requestAnimationFrame(() => this.tick());
    },
    // Which frame it is time for, as fast as the shot runs in what is rendered; the playing is counted from there on.
    due() {
      const { first, last } = shot().setup.footage;
      let { time, frame } = this.started;
      const now = performance.now();
      for (let takes; time + (takes = 1000 / shot().clip.rate / speedAt(frame)) <= now; time += takes) frame = frame < last ? frame + 1 : first;
      this.started = { time, frame };
      return frame;
    },
    // The next frame is not ready: wait where we are, and go on when a few are.
    stall() {
      const { first, last } = shot().setup.footage;
      const count = last - first + 1;
      let run = 0;
      while (run < Math.min(START_WITH, count) && this.has(first + ((this.frame - first + 1 + run) % count))) run++;
      this.waiting = run < Math.min(START_WITH, count - 1);
      this.started = { time: performance.now(), frame: this.frame };
      if (!this.waiting) this.started.time -= 1000 / shot().clip.rate;
      this.fill();
    },

    // What is being dragged, small and at once; only the newest state matters. While one is made, the next is asked for.
    async draft() {
      this.playing = false;
      this.draftWanted = true;
      if (this.drafts >= AT_ONCE) return;
      this.drafts += 1;
      while (this.draftWanted && shot().drafting) {
        this.draftWanted = false;
        const number = ++this.draftAsked;
        const subject = this.view === "matte" || this.view === "overlay" ? { subject: shot().chosen } : {};
        const body = shot().parts({ frame: this.frame, view: this.view, size: this.draftSize, tint: this.tint, ...subject });
        const started = performance.now();
        try {
          const blob = await blobOf(await ask("POST", shot().url("draft.jpg"), body));
          if (number < this.draftShown.number) continue; // a later one was faster
          const time = performance.now();
          this.slow += time - Math.max(started, this.draftShown.time) > SLOW ? 1 : 0;
          this.draftShown = { number, time };
          if (this.slow > 1) this.draftSize = SMALL;
          if (shot().drafting) await this.paint("draft", blob);
          if (shot().drafting && ["beside", "over"].includes(this.beside)) {
            this.secondKey = "";
            await paintOn(this.second, await blobOf(await ask("POST", shot().url("draft.jpg"), { ...body, view: "distance" })));
          }
        } catch {
          // A setup between two valid ones: the next one shows.
        }
      }
      this.drafts -= 1;
    },
  };
}

export const viewerParts = {
  viewer: () => ({
    init() {
      const store = window.Alpine.store("viewer");
      store.begin(this.$refs.canvas, this.$refs.second);
      const area = this.$el;
      const overlays = area.querySelectorAll("svg.overlay");
      const compare = window.Alpine.store("compare");
      const lay = () => {
        const { width, height } = shot().clip;
        const beside = ["beside", "next"].includes(store.beside);
        const room = { width: area.clientWidth / (beside ? 2 : 1), height: area.clientHeight };
        const scale = Math.min(room.width / width, room.height / height) * store.zoom;
        const place = {
          width: `${width * scale}px`,
          height: `${height * scale}px`,
          left: `${(room.width - width * scale) / 2 + store.pan.x}px`,
          top: `${(room.height - height * scale) / 2 + store.pan.y}px`,
        };
        Object.assign(this.$refs.canvas.style, place);
        Object.assign(this.$refs.newest.style, place);
        for (const overlay of overlays) {
          Object.assign(overlay.style, place);
          overlay.setAttribute("viewBox", `0 0 ${width} ${height}`);
        }
        const second = beside ? { ...place, left: `${parseFloat(place.left) + room.width}px` } : place;
        const { on, other } = compare;
        const share = store.beside === "flick" ? Number(other) : beside || on ? 1 : store.share;
        const clip = store.beside === "split" ? compare.clip(width * scale, height * scale) : "none";
        Object.assign(this.$refs.second.style, second, { opacity: share, clipPath: clip });
        store.scale = scale;
      };
      new ResizeObserver(lay).observe(area);
      window.Alpine.effect(lay);
      area.addEventListener("wheel", (/** @type {Rolled} */ event) => this.wheel(event, area), { passive: false });
      area.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.grab(event, area), true);
    },
    // The place under the pointer stays under it.
    /** @param {Rolled} event @param {HTMLElement} area */
    wheel(event, area) {
      event.preventDefault();
      const box = area.getBoundingClientRect();
      const from = { x: event.clientX - box.left - box.width / 2, y: event.clientY - box.top - box.height / 2 };
      window.Alpine.store("viewer").zoomBy(Math.exp(-event.deltaY * 0.0015), from);
    },
    /** @param {Pointed} event @param {HTMLElement} area */
    grab(event, area) {
      if (event.button !== 1) return;
      event.preventDefault();
      const store = window.Alpine.store("viewer");
      const start = { ...store.pan };
      store.panning = true;
      const move = (/** @type {PointerEvent} */ at) => (store.pan = { x: start.x + at.clientX - event.clientX, y: start.y + at.clientY - event.clientY });
      dragged(area, event, move, () => (store.panning = false), 0);
    },
    get waiting() {
      return window.Alpine.store("viewer").waiting;
    },
    get waitingWords() {
      const { later, frame } = window.Alpine.store("viewer");
      return later ? `frame ${frame} is being prepared` : `making frame ${frame}`;
    },
    get isBlur() {
      return window.Alpine.store("viewer").view === "blur";
    },
    get blurEnd() {
      return window.Alpine.store("survey").now?.blur_end ?? 0;
    },
    get blurFar() {
      return `far ${this.blurEnd}`;
    },
    get blurNear() {
      return `${this.blurEnd} px near`;
    },
    get isOverlay() {
      return window.Alpine.store("viewer").view === "overlay";
    },
    get tint() {
      return window.Alpine.store("viewer").tint;
    },
    putTint(/** @type {Given} */ event) {
      window.Alpine.store("viewer").tint = event.target.value;
      remember("tint", event.target.value);
      window.Alpine.store("viewer").changed();
    },
    get isSeen() {
      return window.Alpine.store("viewer").view === "seen";
    },
    get isDistance() {
      const { view, beside } = window.Alpine.store("viewer");
      return (view === "distance" || ["beside", "over"].includes(beside)) && window.Alpine.store("survey").now !== null;
    },
    get newestUrl() {
      return window.Alpine.store("work").newest?.url ?? null;
    },
    get newestShown() {
      return window.Alpine.store("work").newest?.frame === window.Alpine.store("viewer").frame;
    },
    get alone() {
      const { beside, playing } = window.Alpine.store("viewer");
      return beside === "alone" || playing;
    },
    get legendColours() {
      return (window.Alpine.store("survey").now?.legend ?? []).map((colour, i) => ({ i, style: { background: colour } }));
    },
    get legendFar() {
      const low = window.Alpine.store("survey").now?.low ?? 0;
      return low > 1e-3 ? metres(1 / low) : "infinity";
    },
    get legendNear() {
      return metres(1 / (window.Alpine.store("survey").now?.high ?? 1));
    },
    get pointed() {
      return window.Alpine.store("viewer").pointed;
    },
    get isChange() {
      return window.Alpine.store("viewer").view === "change";
    },
    get spoken() {
      const store = window.Alpine.store("viewer");
      return `Frame ${store.frame}, ${store.view}`;
    },
  }),

  transport: () => ({
    get store() {
      return window.Alpine.store("viewer");
    },
    get frameWords() {
      return String(this.store.frame);
    },
    get timecode() {
      return shot().clip.timecodes[this.store.frame] ?? "";
    },
    get small() {
      return sparing();
    },
    get playing() {
      return this.store.playing;
    },
    get playWords() {
      return this.store.playing ? "Stop" : "Play";
    },
    get scaleWords() {
      return this.store.scale ? `${Math.round(this.store.scale * 100)} %` : "";
    },
    get isSource() {
      return this.store.view === "source";
    },
    get isResult() {
      return this.store.view === "result";
    },
    get isBlur() {
      return this.store.view === "blur";
    },
    get isMatte() {
      return this.store.view === "matte";
    },
    get isDistance() {
      return this.store.view === "distance";
    },
    get others() {
      return OTHERS.includes(this.store.view) ? this.store.view : "";
    },
    lookOther(/** @type {Given} */ event) {
      this.store.look(event.target.value || "result");
    },
    closer() {
      this.store.zoomBy(1.5);
    },
    wider() {
      this.store.zoomBy(1 / 1.5);
    },
    fit() {
      this.store.fit();
    },
    look(/** @type {Given} */ event) {
      this.store.look(event.currentTarget.dataset.view);
    },
    back() {
      this.store.go(this.store.frame - 1);
    },
    ahead() {
      this.store.go(this.store.frame + 1);
    },
    toggle() {
      this.store.toggle();
    },
  }),
};
