// Numbers in words: every measure with its unit. Distances are kept in metres and shown in metres or feet.
const FOOT = 0.3048;

const units = () => window.Alpine.store("units");
export const inFeet = () => units().feet;

export function createUnits() {
  return {
    feet: localStorage.getItem("kalyptra-units") === "feet",
    flip() {
      this.feet = !this.feet;
      localStorage.setItem("kalyptra-units", this.feet ? "feet" : "metres");
    },
  };
}

export const shownUnit = (/** @type {string} */ unit) => (unit === "m" && inFeet() ? "ft" : unit);
/** @param {number} value @param {string} unit */
export const toUnit = (value, unit) => (unit === "%" ? value * 100 : unit === "m" && inFeet() ? value / FOOT : value);
/** @param {number} value @param {string} unit */
export const fromUnit = (value, unit) => (unit === "%" ? value / 100 : unit === "m" && inFeet() ? value * FOOT : value);

// The longest distance that a setup takes stands for infinity.
export const INFINITE = 100000;
export const infinite = (/** @type {number} */ value, /** @type {string} */ unit) => unit === "m" && value >= INFINITE;

const LEAST = 1e-4; // dioptres; what is dragged beyond is infinitely far

// Metres of dioptres, as far as a setup takes them.
export const metresOf = (/** @type {number} */ dioptres) => (dioptres <= LEAST ? INFINITE : 1 / dioptres);

// What was typed as a number in a unit; NaN where it is none.
/** @param {string} text @param {string} unit */
export function numberOf(text, unit) {
  const typed = text.trim().toLowerCase();
  if (unit === "m" && (typed === "∞" || (typed.length > 2 && "infinity".startsWith(typed)))) return INFINITE;
  return typed === "" ? NaN : fromUnit(Number(typed.replace(",", ".")), unit);
}

export function metres(/** @type {number | null | undefined} */ value) {
  if (value === null || value === undefined || value >= INFINITE) return "infinity";
  const shown = toUnit(value, "m");
  const unit = shownUnit("m");
  if (shown < 1) return `${shown.toFixed(3)} ${unit}`;
  return shown < 100 ? `${shown.toFixed(2)} ${unit}` : `${Math.round(shown)} ${unit}`;
}

// Distances to rule a scale by, as [metres, words], each about 1.4 times the one before.
const RULED = [0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 1, 1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 32, 64, 128, 256];
const RULED_FEET = [0.3, 0.5, 0.7, 1, 1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 22, 32, 50, 100, 200, 400, 800];
/** @returns {[number, string][]} metres, and how they are written */
export const rulers = () => (inFeet() ? RULED_FEET.map((one) => [one * FOOT, `${one} ft`]) : RULED.map((one) => [one, `${one} m`]));

// A ruled distance, without zeros that say nothing.
export const ruled = (/** @type {number} */ value) => `${Number(toUnit(value, "m").toPrecision(3))} ${shownUnit("m")}`;

export const pixels = (/** @type {number} */ value) => `${value.toFixed(1)} px`;

export function duration(/** @type {number} */ seconds) {
  if (seconds < 60) return `${Math.ceil(seconds)} s`;
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}

// When something was, as hours and minutes.
export function timeOfDay(/** @type {string | number | Date} */ when) {
  const time = new Date(when);
  return `${String(time.getHours()).padStart(2, "0")}:${String(time.getMinutes()).padStart(2, "0")}`;
}
