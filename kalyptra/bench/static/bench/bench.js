// The frame of the page: header, stages, shortcuts, messages.
import { askJson } from "../design/scripts/server.js";
import { pullsOf } from "./curve.js";
import { bare } from "./document.js";
import { finishWords } from "./finish.js";
import { brush } from "./marks.js";
import { faultsOf } from "./notes.js";
import { pen } from "./pen.js";
import { nameOf } from "./sources.js";
import { rendering } from "./renders.js";
import { survey } from "./survey.js";
import { closeToast, toast } from "./toasts.js";
import { timeOfDay } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

const OF_FINISH = ["no-strength"]; // kinds of notes on a frame that Finish mends

// How many frames or notes of a stage need a look.
function stageLooks(/** @type {string} */ stage) {
  /** @type {Record<string, () => number>} */
  const counts = {
    subjects: () => framesToLookAt(),
    distance: () => faultsOf(survey().notes.filter((one) => !OF_FINISH.includes(one.kind))),
    finish: () => faultsOf(survey().notes.filter((one) => OF_FINISH.includes(one.kind))),
    pull: () => faultsOf(shot().reading?.notes ?? []),
  };
  return counts[stage]?.() ?? 0;
}

function framesToLookAt() {
  const all = Object.values(shot().reading?.health ?? {}).flatMap((lines) => Object.values(lines));
  return all.reduce((sum, { looks }) => sum + looks.reduce((count, [first, last]) => count + last - first + 1, 0), 0);
}

function stageWords(/** @type {string} */ stage) {
  const { setup, clip } = shot();
  const count = setup.subjects.length;
  const now = shot().at(viewer().frame);
  switch (stage) {
    case "footage":
      return `${setup.footage.last - setup.footage.first + 1} frames at ${clip.rate_text}`;
    case "subjects":
      return count === 0 ? "none yet" : count === 1 ? "1 subject" : `${count} subjects`;
    case "distance":
      return distanceWords();
    case "pull":
      return pullWords(setup);
    case "lens":
      return now ? `${setup.lens.focal_length_mm} mm, f/${now.lens.f_number.toFixed(1)}` : "";
    case "finish":
      return finishWords(setup.finish, viewer().frame);
    default:
      return shot().renderWords;
  }
}

function pullWords(/** @type {Api["Setup"]} */ setup) {
  const { keys } = setup.focus.distance;
  const pulls = pullsOf(bare(keys)).length;
  const marks = setup.focus.marks ?? [];
  const holds = keys.filter((key) => key.mark && marks.find((one) => one.id === key.mark)?.subject).length;
  if (pulls === 0 && holds === 0) return "focus stays";
  return [pulls === 0 ? "" : pulls === 1 ? "1 pull" : `${pulls} pulls`, holds ? (holds === 1 ? "1 hold" : `${holds} holds`) : ""].filter(Boolean).join(", ");
}

function distanceWords() {
  const on = shot().setup.distance.sources.filter((one) => one.enabled !== false);
  if (on.length === 0) return "nothing yet";
  return on.map((one) => nameOf(one).toLowerCase()).slice(0, 3).join(", ") + (on.length > 3 ? " and more" : ""); // prettier-ignore
}

const typing = (/** @type {Element} */ target) => target.matches("input:not([type=range]):not([type=checkbox]), textarea, select");

export const benchParts = {
  bench: () => ({
    init() {
      this.$watch("$store.shot.conflict", (conflict) => {
        if (conflict) this.$refs.conflict.showModal();
        else this.$refs.conflict.close();
      });
      shot().recover();
      shot().read();
      window.Alpine.store("work").begin();
      survey().begin();
      rendering().follow();
      window.addEventListener("beforeunload", (event) => {
        if (shot().unsaved || shot().drafting) event.preventDefault();
      });
    },
    get alone() {
      return window.Alpine.store("layout").alone ? "alone" : "";
    },
    get rows() {
      return { "--foot": `${window.Alpine.store("layout").height}px` };
    },
    get savedWords() {
      if (shot().trouble) return "not saved, trying again";
      if (shot().unsaved) return "saving";
      return `saved ${timeOfDay(shot().saved.saved)}`;
    },
    get troubled() {
      return shot().trouble !== "";
    },
    tryNow() {
      shot().tryNow();
    },
    get cannotUndo() {
      return !shot().saved.can_undo || shot().unsaved;
    },
    get cannotRedo() {
      return !shot().saved.can_redo || shot().unsaved;
    },
    get conflictWords() {
      return shot().conflict?.error ?? "";
    },
    undo() {
      shot().step("undo");
    },
    redo() {
      shot().step("redo");
    },
    takeTheirs() {
      shot().resolveConflict(false);
    },
    saveMine() {
      shot().resolveConflict(true);
    },
    /** @type {{ revision: number; words: string; time: string; name: string; now: boolean; earlier: boolean }[]} */
    history: [],
    list(/** @type {Api["Done"][]} */ revisions) {
      this.history = revisions.map((one) => ({
        ...one,
        words: one.words || "A change.",
        name: one.name ?? "",
        now: one.revision === shot().saved.revision,
        earlier: one.revision !== shot().saved.revision,
        time: timeOfDay(one.when),
      }));
    },
    revisionOf: (/** @type {Given} */ event) => Number(event.target.closest("[data-revision]").dataset.revision),
    async nameRevision(/** @type {Given} */ event) {
      try {
        this.list(await askJson("POST", shot().url("names"), { revision: this.revisionOf(event), name: event.target.value.trim().slice(0, 60) }));
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    compareWith(/** @type {Given} */ event) {
      const compare = window.Alpine.store("compare");
      compare.against = `r${this.revisionOf(event)}`;
      compare.begin();
      this.$refs.history.close();
    },
    async goBack(/** @type {Given} */ event) {
      await shot().goBackTo(this.revisionOf(event));
      this.$refs.history.close();
    },
    async showHistory() {
      try {
        this.list(await askJson("GET", shot().url("history")));
        this.$refs.history.showModal();
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
    // Escape leaves what is shown for a moment: the picture alone, then a comparison.
    leave() {
      const layout = window.Alpine.store("layout");
      const compare = window.Alpine.store("compare");
      if (layout.alone) layout.alone = false;
      else if (compare.on) compare.end();
      else return false;
    },
    showKeys() {
      this.$refs.keys.showModal();
    },
    goRender() {
      shot().stage = "render";
    },
    pressed(/** @type {Pressed} */ event) {
      if (pen().drawing && !typing(event.target) && pen().key(event)) return;
      if (brush().active && !typing(event.target) && brush().key(event)) return;
      const command = event.ctrlKey || event.metaKey;
      if (command && event.key.toLowerCase() === "z" && !typing(event.target)) {
        event.preventDefault();
        shot().step(event.shiftKey ? "redo" : "undo");
        return;
      }
      if (command && event.key.toLowerCase() === "y" && !typing(event.target)) {
        event.preventDefault();
        shot().step("redo");
        return;
      }
      /** @type {Record<string, Pair>} */
      const pans = { ArrowLeft: [40, 0], ArrowRight: [-40, 0], ArrowUp: [0, 40], ArrowDown: [0, -40] };
      if (event.altKey && pans[event.key] && viewer().zoom > 1 && !event.defaultPrevented) {
        event.preventDefault();
        const [x, y] = pans[event.key];
        viewer().pan = { x: viewer().pan.x + x, y: viewer().pan.y + y };
        return;
      }
      if (command || event.altKey || event.defaultPrevented || typing(event.target) || document.querySelector("dialog[open]")) return;
      const { first, last } = shot().setup.footage;
      const layout = window.Alpine.store("layout");
      const range = event.target.matches("input[type=range]");
      /** @type {Record<string, () => unknown>} */
      const actions = {
        ArrowLeft: () => viewer().go(viewer().frame - (event.shiftKey ? 10 : 1)),
        ArrowRight: () => viewer().go(viewer().frame + (event.shiftKey ? 10 : 1)),
        Home: () => viewer().go(first),
        End: () => viewer().go(last),
        i: () => shot().commit({ do: "set-range", first: Math.min(viewer().frame, last) }),
        o: () => shot().commit({ do: "set-range", last: Math.max(viewer().frame, first) }),
        s: () => viewer().look(viewer().view === "source" ? "result" : "source"),
        n: () => window.Alpine.store("work").look(),
        "+": () => viewer().zoomBy(1.5),
        "-": () => viewer().zoomBy(1 / 1.5),
        0: () => viewer().fit(),
        x: () => window.Alpine.store("compare").flick(),
        p: () => (layout.alone = !layout.alone),
        Escape: () => this.leave(),
        "?": () => this.showKeys(),
        " ": () => !event.target.matches("button, summary, a") && viewer().toggle(),
      };
      /** @type {HTMLElement[]} */
      const stages = Array.from(document.querySelectorAll("[data-stage].stage"));
      const action = actions[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (range && event.key !== " " && event.key.length > 1) return;
      if (action) {
        if (action() !== false) event.preventDefault();
      } else if (/^[1-9]$/.test(event.key)) shot().stage = stages[Number(event.key) - 1]?.dataset.stage ?? shot().stage;
    },
  }),

  stageButton: () => ({
    stage: "",
    init() {
      this.stage = this.$el.dataset.stage;
    },
    go() {
      shot().stage = this.stage;
    },
    get current() {
      return shot().stage === this.stage ? "step" : null;
    },
    get state() {
      return stageWords(this.stage);
    },
    get looks() {
      const count = stageLooks(this.stage);
      return count ? `${count} to look at` : "";
    },
  }),

  // A sheet is made when its stage is first opened: six sheets that nobody looks at would take most of the page's time.
  sheetOnce: () => ({
    seen: false,
    init() {
      const { sheet } = this.$el.dataset;
      window.Alpine.effect(() => {
        if (shot().stage === sheet) this.seen = true;
      });
    },
  }),

  sheet: () => ({
    stage: "",
    init() {
      this.stage = this.$el.dataset.stage;
    },
    get open() {
      return shot().stage === this.stage;
    },
  }),

  toasts: () => ({
    get list() {
      return window.Alpine.store("toasts").list;
    },
    close(/** @type {Given} */ event) {
      closeToast(Number(event.target.dataset.id));
    },
  }),
};
