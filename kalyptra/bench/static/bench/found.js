// What a found matte is at the frame that is shown.
import { bare } from "./document.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

export const foundMatte = () => {
  const matte = shot().subject()?.matte;
  return matte?.kind === "found" ? bare(matte) : null;
};
export const keyHere = () => foundMatte()?.keys.find((key) => key.frame === viewer().frame);
export const nameHere = () => keyHere()?.matte ?? foundMatte()?.frames.find(([frame]) => frame === viewer().frame)?.[1] ?? null;

// Hand-made mattes in a stretch that is to be followed anew.
export function droppingMatteKeys(low, high) {
  const subject = shot().chosen;
  return (setup) => {
    const { matte } = setup.subjects.find((one) => one.id === subject);
    matte.keys = matte.keys.filter((one) => one.frame < low || one.frame > high);
  };
}

const HOW = { h: "made by hand", f: "followed", p: "hardly seen", s: "a person was found", n: "nobody is seen", b: "from the file", "-": "no matte here" };

export const howWords = (letter) => HOW[letter];
