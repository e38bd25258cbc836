// Following what a source of distance lies on.
import { bare } from "./bare.js";
import { ends, looksWords, work } from "./following.js";
import { chosenSource, isFollowed } from "./sources.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

// How far the chosen source can be trusted over time, where it was followed.
export const sourceHealth = () => bare(shot().reading?.sources?.[shot().source] ?? null);

export const followSource = () => ({
  get possible() {
    return Boolean(chosenSource()?.motion); // what lies on something in the picture says how that is followed
  },
  get isGround() {
    return chosenSource()?.kind === "ground";
  },
  get isSurface() {
    return this.possible && !this.isGround;
  },
  get hasDistances() {
    return this.isSurface && chosenSource()?.kind !== "corners";
  },
  get idle() {
    return work().now === null;
  },
  get atStart() {
    return viewer().frame <= shot().setup.footage.first;
  },
  get atEnd() {
    return viewer().frame >= shot().setup.footage.last;
  },
  async follow(/** @type {Given} */ event) {
    /** @type {{ to: keyof typeof ends | "both" }} */
    const { to } = event.currentTarget.dataset;
    const [source, from, { first, last }] = [shot().source, viewer().frame, shot().setup.footage];
    for (const end of to === "both" ? [last, first] : [ends[to]()])
      if (end !== from) await work().order({ what: "source", source, start: from, end, on_loss: work().onLoss });
  },
  look() {
    work().look(sourceHealth);
  },
  get words() {
    const health = sourceHealth();
    return health && isFollowed(chosenSource()) ? looksWords(health.looks) : "Not followed yet.";
  },
});
