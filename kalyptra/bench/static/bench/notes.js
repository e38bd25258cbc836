// Proof notes: what is likely amiss at this frame and over the shot, each with its frame and its mend.
import { LATER } from "./again.js";
import { bare } from "./document.js";
import { putting } from "./fields.js";
import { remember, remembered } from "./remembered.js";
import { survey } from "./survey.js";

const shot = () => window.Alpine.store("shot");

const advice = () => window.Alpine.store("advice");
const nameOf = (/** @type {Note} */ note) => `${note.kind}:${note.about ?? ""}`;

const PAUSE_AFTER = 20 * 60000; // ms of work on a shot after which eyes are tired (common practice, no source)

// Advice is told once: what somebody put away stays away, shot by shot; what is not about the shot, for good.
export function createAdvice() {
  const here = `advice:${shot().id}`;
  return {
    away: remembered(here, /** @type {string[]} */ ([])),
    always: remembered("advice", /** @type {string[]} */ ([])),
    since: Date.now(),
    revision: shot().saved.revision,
    // What the page itself advises, whatever the setup holds.
    get ofWork() {
      /** @type {Note[]} */
      const some = [];
      const { stage, saved } = shot();
      if (stage === "footage")
        some.push({ kind: "grade", about: "", text: "Grade the clip before it is blurred: discs take their colour from it.", advice: true });
      if (saved.revision > this.revision && Date.now() - this.since > PAUSE_AFTER && !window.Alpine.store("again").waiting)
        some.push({ kind: "pause", about: "", text: "You have looked at this for a while. Pause, then judge it anew beside what comes later.", advice: true });
      return some;
    },
    isAway(/** @type {Note} */ note) {
      return this.away.includes(nameOf(note)) || this.always.includes(note.kind);
    },
    putAway(/** @type {Note} */ note) {
      if (note.kind === "pause") this.since = Date.now();
      else if (note.kind === "grade") remember("advice", (this.always = [...this.always, note.kind]));
      else remember(here, (this.away = [...this.away, nameOf(note)]));
    },
  };
}

/** @returns {Note[]} */
const allNotes = () => [...survey().notes, ...(shot().reading?.notes ?? []), ...advice().ofWork].filter((note) => !note.advice || !advice().isAway(note));

// How many of some notes are no mere advice.
export const faultsOf = (/** @type {Note[]} */ some) => some.filter((note) => !note.advice).length;

const show = (/** @type {string} */ stage) => void (shot().stage = stage);

/** @type {Record<string, { words: string; mend: (note: Note) => void }>} */
const MENDS = {
  turned: {
    words: "Turn it",
    mend({ about }) {
      if (!about) return;
      shot().source = about;
      shot().commit({ do: "turn-source", source: about });
    },
  },
  "nothing-sharp": { words: "Focus there", mend: ({ value }) => shot().commit(putting("focus.distance", value)) },
  "held-all": { words: "Hold nothing", mend: () => shot().commit({ do: "hold-range" }) },
  "all-at-focus": { words: "Show the distances", mend: () => show("distance") },
  "all-covered": { words: "Show the subjects", mend: () => show("subjects") },
  "no-strength": {
    words: "Make it 100 %",
    mend: () => shot().commit({ do: "set-at", path: "finish.strength", frame: window.Alpine.store("viewer").frame, value: 1 }),
  },
  "nothing-soft": { words: "Show the lens", mend: () => show("lens") },
  hidden: {
    words: "Choose it",
    mend({ about }) {
      show("distance");
      if (about) shot().source = about;
    },
  },
  fight: { words: "The nearer wins", mend: ({ about }) => shot().commit({ do: "put", path: `distance.sources.${about}.joins`, value: "nearer" }) },
  floating: { words: "Make a ground", mend: ({ about }) => standOnGround(about) },
  "hard-line": {
    words: "Feather it",
    mend: ({ about, value }) => shot().commit(["feather_in", "feather_out"].map((name) => ({ do: "put", path: `subjects.${about}.refine.${name}`, value }))),
  },
  "from-above": { words: "Show it", mend: () => show("distance") },
  pause: { words: "Keep it and ask me later", mend: () => window.Alpine.store("again").plan(LATER) },
  "too-much": { words: "Show the lens", mend: () => show("lens") },
  middle: { words: "Show it", mend: () => show("distance") },
  "no-effect": { words: "Switch it on", mend: () => shot().commit({ do: "put", path: "effect", value: true }) },
  "nothing-sharp-over": { words: "Show the pull", mend: () => show("pull") },
  fast: { words: "Show the pull", mend: () => show("pull") },
  beyond: { words: "Show the pull", mend: () => show("pull") },
  outside: { words: "Show the pull", mend: () => show("pull") },
  breathing: { words: "Let it breathe", mend: () => shot().commit({ do: "put", path: "focus.breathing", value: true }) },
};

// Level ground up to the backdrop, and the subject stands on it.
async function standOnGround(/** @type {string | undefined} */ subject) {
  if (!subject) return;
  shot().chosen = subject;
  await shot().commit([
    { do: "use-recipe", recipe: "street", frame: window.Alpine.store("viewer").frame },
    { do: "stand-on", subject, source: "ground" },
  ]);
  show("distance");
  window.Alpine.store("work").order({ what: "feet", subject, start: shot().setup.footage.first, end: shot().setup.footage.last });
}

export const notes = () => ({
  get list() {
    return allNotes().map((note, i) => ({
      i,
      text: note.text,
      at: typeof note.first === "number" ? `Frame ${note.first}` : "",
      mend: MENDS[note.kind]?.words ?? "",
      can: Boolean(MENDS[note.kind]),
      advice: Boolean(note.advice),
    }));
  },
  putAway(/** @type {Given} */ event) {
    advice().putAway(allNotes()[Number(event.currentTarget.dataset.i)]);
  },
  get any() {
    return allNotes().length > 0;
  },
  get countWords() {
    const count = allNotes().length;
    return count === 1 ? "1 note" : `${count} notes`;
  },
  show(/** @type {Given} */ event) {
    const { first } = allNotes()[Number(event.currentTarget.dataset.i)];
    if (typeof first === "number") window.Alpine.store("viewer").go(first);
  },
  mend(/** @type {Given} */ event) {
    const note = allNotes()[Number(event.currentTarget.dataset.i)];
    MENDS[note.kind].mend(bare(note));
  },
});
