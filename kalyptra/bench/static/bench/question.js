// The first minute: what shall stay sharp is asked once, and the answer sets up all that it needs.
import { countOf } from "./document.js";
import { work } from "./following.js";
import { foundMatte } from "./found.js";
import { brush, newSubject, people } from "./marks.js";
import { pen } from "./pen.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

/** @param {string} stage @param {string} recipe */
async function useRecipe(stage, recipe) {
  shot().stage = stage;
  await shot().commit({ do: "use-recipe", recipe, frame: viewer().frame });
  shot().source = shot().setup.distance.sources.slice(-1)[0].id;
}

/** @type {Record<string, () => unknown>} */
const ANSWERS = {
  people: async () => {
    await newSubject("People");
    await people(null);
  },
  stroke: async () => {
    await newSubject();
    brush().start("keep");
  },
  draw: () => pen().start("draw"),
  region: () => pen().start("region"),
  miniature: () => useRecipe("distance", "miniature"),
  page: () => useRecipe("distance", "page"),
  street: () => useRecipe("distance", "street"),
};

export const question = () => ({
  dismissed: false,
  // Before anything is said the source is shown: its result would be soft all over.
  init() {
    if (this.untouched) viewer().look("source");
    this.$watch("untouched", (untouched) => !untouched && viewer().view === "source" && viewer().look("result"));
  },
  // A shot of which nothing is said yet.
  get untouched() {
    const { subjects, distance } = shot().setup;
    return subjects.length === 0 && distance.sources.length === 1 && distance.sources[0].id === "backdrop";
  },
  get asked() {
    return this.untouched && !this.dismissed && shot().stage === "subjects" && !pen().drawing && !brush().active;
  },
  answer(/** @type {Given} */ event) {
    ANSWERS[event.currentTarget.dataset.answer]();
  },
  dismiss() {
    this.dismissed = true;
  },
});

// After a first stroke: the result, and the one thing that is still missing.
export const nextStep = () => ({
  putOff: "",
  get any() {
    const matte = foundMatte();
    const { first, last } = shot().setup.footage;
    const fresh = matte !== null && matte.keys.length === 1 && countOf(matte.frames) === 0 && first < last;
    return fresh && shot().stage === "subjects" && brush().waiting === 0 && !work().now && this.putOff !== shot().chosen;
  },
  async follow() {
    brush().start(null);
    viewer().look("result");
    await work().followBoth();
    viewer().look("result");
  },
  more() {
    brush().start("keep");
  },
  later() {
    this.putOff = shot().chosen;
  },
});
