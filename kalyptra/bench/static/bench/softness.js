// Softness, at hand in every stage: the size of the backdrop's discs, and the switch for the whole effect.
import { setting } from "./document.js";
import { pixels } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const MOST = 0.08; // of the picture's width, at the slider's end
const NUMBERS = { least: 0.05, most: 64 }; // f-numbers

export const softness = () => ({
  /** @type {{ softness: number; number: number } | null} */
  begun: null, // what a drag began with
  get lens() {
    return shot().at(viewer().frame)?.lens ?? null;
  },
  get byNumber() {
    return shot().setup.lens.aperture === "f-number";
  },
  get most() {
    return MOST * shot().clip.width;
  },
  // Discs grow with the opening, so that an f-number says nothing where there are none.
  get none() {
    return !this.lens || (this.byNumber && this.lens.softness < 1e-3);
  },
  get words() {
    return this.lens ? `${pixels(this.lens.softness)}, f/${this.lens.f_number.toPrecision(2)}` : "";
  },
  get ofWords() {
    if (!this.on) return "off: the source is shown";
    return this.none ? "the backdrop is in focus" : "of the backdrop";
  },
  // Even steps of the slider are even steps of the root: small discs get room.
  get slid() {
    return Math.round(1000 * Math.sqrt(Math.min(1, (this.lens?.softness ?? 0) / this.most)));
  },
  slide(/** @type {Given} */ event) {
    const { lens } = this;
    if (!lens) return;
    this.begun ??= { softness: lens.softness, number: lens.f_number };
    const wanted = (Number(event.target.value) / 1000) ** 2 * this.most;
    if (!this.byNumber) shot().draft(setting("lens.softness", viewer().frame, Number(wanted.toFixed(1))));
    else {
      const number = (this.begun.number * this.begun.softness) / Math.max(wanted, 1e-3);
      const within = Math.min(NUMBERS.most, Math.max(NUMBERS.least, number));
      shot().draft(setting("lens.f_number", viewer().frame, Number(within.toPrecision(3))));
    }
  },
  slideEnd() {
    this.begun = null;
    shot().commit();
  },
  get on() {
    return shot().setup.effect !== false;
  },
  flip(/** @type {Given} */ event) {
    shot().commit({ do: "put", path: "effect", value: event.target.checked });
  },
});
