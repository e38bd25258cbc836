// The sheet of the Pull stage: marks, the chosen keys, pulls by pointing, performing, and files.
import { askJson } from "../design/scripts/server.js";
import { bare } from "./document.js";
import { easeWords, markLook } from "./chart.js";
import { changingKeys, curve, FOCUS, keyValue, markAt, moving, putting, scaling } from "./curve.js";
import { addMark, onMark, pointing } from "./pull.js";
import { toast } from "./toasts.js";
import { fromUnit, metres, shownUnit, toUnit } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const number = (/** @type {Given} */ event) => (event.target.value.trim() === "" ? NaN : Number(event.target.value.trim().replace(",", ".")));

/** @param {string} id @param {string} what @param {any} value */
const puttingMark = (id, what, value) => ({
  do: "put",
  path: `focus.marks.${id}.${what}`,
  value,
});

export const pullParts = {
  tapes: () => ({
    typed: "",
    get list() {
      const frame = viewer().frame;
      return (shot().seen.focus.marks ?? []).map((mark, i) => ({
        id: mark.id,
        name: mark.name,
        ...markLook(mark, i),
        tape: `mark-tape tape-${markLook(mark, i).ink}`,
        moves: mark.subject ? "moves with it" : "",
        fixed: !mark.subject,
        follows: Boolean(mark.subject),
        distance: metres(markAt(mark.id, frame)),
        typed: Number(toUnit(mark.distance, "m").toFixed(3)),
        lag: mark.lag ?? 0,
        steady: mark.steady ?? 0,
        nameWords: `Name of mark ${mark.name}`,
        distanceWords: `Distance of mark ${mark.name}`,
        removeWords: `Remove mark ${mark.name}`,
      }));
    },
    get any() {
      return this.list.length > 0;
    },
    get none() {
      return !this.any;
    },
    get unit() {
      return shownUnit("m");
    },
    idOf: (/** @type {Given} */ event) => event.target.closest("[data-id]").dataset.id,
    rename(/** @type {Given} */ event) {
      const name = event.target.value.trim().slice(0, 40);
      if (name) shot().commit(puttingMark(this.idOf(event), "name", name));
    },
    put(/** @type {Given} */ event) {
      const value = fromUnit(number(event), "m");
      if (Number.isFinite(value)) shot().commit(puttingMark(this.idOf(event), "distance", value));
    },
    putHand(/** @type {Given} */ event) {
      const { what } = event.target.dataset;
      const value = number(event);
      if (Number.isFinite(value)) shot().commit(puttingMark(this.idOf(event), what, what === "steady" ? Math.round(value) : value));
    },
    remove(/** @type {Given} */ event) {
      shot().commit({ do: "remove-mark", id: this.idOf(event) });
    },
    add() {
      const value = fromUnit(Number(this.typed.trim().replace(",", ".")), "m");
      if (!Number.isFinite(value) || this.typed.trim() === "") return toast("Type a distance for the mark first.");
      this.typed = "";
      addMark({ distance: Math.min(100000, Math.max(0.02, value)), subject: null, mark: null });
    },
    get subjects() {
      return shot().setup.subjects.filter((one) => one.acts !== "region").map((one) => ({ id: one.id, name: one.name })); // prettier-ignore
    },
    addSubject(/** @type {Given} */ event) {
      const subject = bare(shot().setup.subjects).find((one) => one.id === event.target.value);
      event.target.value = "";
      if (subject) addMark({ distance: shot().at(viewer().frame)?.subjects[subject.id]?.distance ?? 2, subject, mark: null });
    },
  }),

  pulling: () => ({
    get take() {
      return curve().take;
    },
    putTake(/** @type {Given} */ event) {
      const value = curve().takeIn === "s" ? number(event) : Math.round(number(event));
      if (Number.isFinite(value)) curve().take = Math.min(10000, Math.max(0, value));
      event.target.value = curve().take;
      curve().keepTake();
    },
    isTakeIn(/** @type {string} */ unit) {
      return curve().takeIn === unit;
    },
    // The same time in the other unit.
    takeIn(/** @type {Given} */ event) {
      const { unit } = event.currentTarget.dataset;
      if (unit === curve().takeIn) return;
      const { rate } = shot().clip;
      curve().take = unit === "s" ? Number((curve().take / rate).toFixed(2)) : Math.round(curve().take * rate);
      curve().takeIn = unit;
      curve().keepTake();
    },
    isWhat(/** @type {string} */ what) {
      return pointing().what === what;
    },
    what(/** @type {Given} */ event) {
      pointing().what = event.currentTarget.dataset.what;
    },
    get subjects() {
      return shot().setup.subjects.filter((one) => one.acts !== "region").map((one) => ({ id: one.id, name: one.name })); // prettier-ignore
    },
    // From this frame on focus stays on a subject.
    hold(/** @type {Given} */ event) {
      const subject = bare(shot().setup.subjects).find((one) => one.id === event.target.value);
      event.target.value = "";
      if (!subject) return;
      const frame = viewer().frame;
      const value = shot().at(frame)?.subjects[subject.id]?.distance ?? 2;
      curve().choose(FOCUS, [frame]);
      shot().commit(onMark({ distance: value, subject, mark: null }, (mark) => putting(FOCUS, { frame, value, mark, ease: "hold" })));
    },
    keyHere() {
      const frame = viewer().frame;
      const value = Number((shot().at(frame)?.lens.focus ?? 2).toPrecision(6));
      curve().choose(FOCUS, [frame]);
      shot().commit(putting(FOCUS, { frame, value, mark: null, ease: "eased" }));
    },
    cut() {
      const frame = viewer().frame;
      shot().commit({ do: "put-cut", frame, on: !shot().setup.focus.cuts.includes(frame) });
    },
    get cutWords() {
      return (shot().setup.focus.cuts ?? []).includes(viewer().frame) ? "Remove the cut" : "Cut here";
    },
    get speedWords() {
      const { speeds, first, step } = shot().reading ?? { speeds: [0], first: 0, step: 1 };
      const now = speeds[Math.round((viewer().frame - first) / step)] ?? 0;
      const most = Math.max(...speeds.map(Math.abs));
      return `${Math.abs(now).toFixed(2)} 1/m a second here, at most ${most.toFixed(2)}`;
    },
  }),

  // The chosen keys, of the focus curve or of a row.
  chosenKeys: () => ({
    get keys() {
      return curve().keys;
    },
    get any() {
      return this.keys.length > 0;
    },
    get none() {
      return !this.any;
    },
    get one() {
      return this.keys.length === 1 ? this.keys[0] : null;
    },
    get single() {
      return this.one !== null;
    },
    get several() {
      return this.keys.length > 1;
    },
    get isFocus() {
      return curve().path === FOCUS;
    },
    get singleFocus() {
      return this.single && this.isFocus;
    },
    get title() {
      return this.single ? "Chosen key" : this.several ? `${this.keys.length} chosen keys` : "Chosen keys";
    },
    get metric() {
      return curve().path.endsWith("distance") || this.isFocus;
    },
    get unit() {
      return this.metric ? shownUnit("m") : "";
    },
    get frame() {
      return this.one?.frame ?? "";
    },
    get value() {
      if (!this.one) return "";
      const value = keyValue(this.one, this.one.frame);
      return Number((this.metric ? toUnit(value, "m") : value).toFixed(4));
    },
    putFrame(/** @type {Given} */ event) {
      const value = Math.round(number(event));
      if (!this.one || !Number.isFinite(value) || value < 0) return;
      const from = this.one.frame;
      curve().chosen = [value];
      shot().commit(moving(curve().path, [from], value - from));
    },
    putValue(/** @type {Given} */ event) {
      const typed = number(event);
      if (!this.one || !Number.isFinite(typed)) return;
      const value = this.metric ? Math.min(100000, Math.max(0.02, fromUnit(typed, "m"))) : typed;
      shot().commit(changingKeys(curve().path, [this.one.frame], () => (this.isFocus ? { value, mark: null } : { value })));
    },
    get marks() {
      return [{ id: "", name: "no mark" }, ...(shot().setup.focus.marks ?? []).map((mark) => ({ id: mark.id, name: mark.name }))];
    },
    get mark() {
      return this.one?.mark ?? "";
    },
    putMark(/** @type {Given} */ event) {
      const mark = event.target.value || null;
      if (!this.one) return;
      const { frame } = this.one;
      const value = Number(((mark ? markAt(mark, frame) : null) ?? keyValue(this.one, frame)).toPrecision(6));
      shot().commit(changingKeys(FOCUS, [frame], () => ({ mark, value })));
    },
    get ease() {
      const eases = new Set(this.keys.map((key) => (typeof (key.ease ?? "eased") === "string" ? (key.ease ?? "eased") : "handles")));
      return eases.size === 1 ? [...eases][0] : "";
    },
    isEase(/** @type {string} */ ease) {
      return this.ease === ease;
    },
    get free() {
      return this.ease === "handles";
    },
    putEase(/** @type {Given} */ event) {
      const { ease } = event.currentTarget.dataset;
      curve().ease(ease === "handles" ? { kind: "handles", x1: 0.42, y1: 0, x2: 0.58, y2: 1 } : ease);
    },
    handle(/** @type {string} */ name) {
      const ease = this.keys[0]?.ease;
      return typeof ease === "object" ? Number(ease[name].toFixed(3)) : "";
    },
    putHandle(/** @type {Given} */ event) {
      const { name } = event.target.dataset;
      const value = number(event);
      if (!Number.isFinite(value)) return;
      const limited = name.startsWith("x") ? Math.min(1, Math.max(0, value)) : value;
      shot().commit(changingKeys(curve().path, this.keys.map((key) => key.frame), (key) => ({ ease: { ...key.ease, [name]: limited } }))); // prettier-ignore
    },
    // From the first chosen key to the last, in frames; typed, they are stretched.
    get span() {
      return this.several ? this.keys[this.keys.length - 1].frame - this.keys[0].frame : "";
    },
    putSpan(/** @type {Given} */ event) {
      const value = Math.round(number(event));
      if (!Number.isFinite(value) || value < this.keys.length - 1) return;
      const frames = this.keys.map((key) => key.frame);
      const share = value / (frames[frames.length - 1] - frames[0]);
      curve().chosen = frames.map((frame) => Math.round(frames[0] + (frame - frames[0]) * share));
      shot().commit(scaling(curve().path, frames, frames[0], share));
    },
    copy() {
      curve().copy();
    },
    paste() {
      curve().paste();
    },
    get nothingHeld() {
      return curve().held.length === 0;
    },
    remove() {
      curve().drop();
    },
    get easeWords() {
      return this.single ? `From here focus goes ${easeWords(this.one?.ease ?? "eased")} to the next key.` : "";
    },
  }),

  focusFiles: () => ({
    get table() {
      return shot().url("focus.csv");
    },
    get report() {
      return `/shots/${shot().id}/report/`;
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      try {
        const keys = await askJson("POST", shot().url("focus/read"), { text: await file.text() }, undefined, true);
        await shot().commit({ do: "replace-focus", keys });
        toast(`${keys.length} keys were read from ${file.name}.`);
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
  }),
};
