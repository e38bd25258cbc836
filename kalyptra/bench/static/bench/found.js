// What a found matte is at the frame that is shown.
import { bare } from "./document.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

export const foundMatte = () => {
  const matte = shot().subject()?.matte;
  return matte?.kind === "found" ? bare(matte) : null;
};
// Where work on a found matte began: it goes on there, whatever is chosen or shown meanwhile.
export const here = () => ({ subject: shot().chosen, frame: viewer().frame });
const matteAt = (/** @type {Spot} */ { subject }) => {
  const matte = shot().subject(subject)?.matte;
  return matte?.kind === "found" ? bare(matte) : null;
};
export const keyAt = (/** @type {Spot} */ at) => matteAt(at)?.keys.find((key) => key.frame === at.frame);
export const keyHere = () => keyAt(here());

/** @type {Record<string, string>} */
const HOW = { h: "made by hand", f: "followed", p: "hardly seen", s: "a person was found", n: "nobody is seen", b: "from the file", "-": "no matte here" };

export const howWords = (/** @type {string} */ letter) => HOW[letter];
