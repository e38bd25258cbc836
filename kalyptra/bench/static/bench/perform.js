// Performing a pull: a hand wheel on the screen, or a knob, while the shot plays.
import { askJson } from "../design/scripts/server.js";
import { bare } from "./document.js";
import { curve, FOCUS, focusAt, keysOf } from "./curve.js";
import { dragged } from "./drag.js";
import { toast } from "./toasts.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const THROW = 300; // degrees from the nearest to the farthest
const TURN = 0.9; // degrees for a px of drag
const CONTROL = 0xb0; // MIDI: control change

export const performing = () => ({
  armed: false,
  recording: false,
  angle: 150,
  /** @type {any} */
  from: null,
  /** @type {number[][]} */
  samples: [],
  tolerance: 0.01,
  words: "",
  init() {
    this.$watch("$store.viewer.playing", (playing) => {
      if (playing && this.armed) this.begin();
      else if (!playing && this.recording) this.end();
    });
  },
  // The wheel's range is what the shot spans, in dioptres.
  range() {
    const reading = bare(shot().reading);
    let [low, high] = [Infinity, 0];
    for (const lens of reading?.lens ?? [])
      [low, high] = [Math.min(low, lens.farthest ? 1 / lens.farthest : 0, 1 / lens.focus), Math.max(high, 1 / lens.nearest, 1 / lens.focus)];
    for (const rows of Object.values(reading?.subjects ?? {}))
      for (const row of rows) [low, high] = [Math.min(low, 1 / row.distance), Math.max(high, 1 / row.distance)];
    return { low: Math.max(1e-4, low * 0.8), high: high * 1.15 };
  },
  get distance() {
    if (!shot().reading) return 2;
    const { low, high } = this.range();
    return 1 / (high + (low - high) * (this.angle / THROW));
  },
  get shown() {
    return metres(this.distance);
  },
  get turnedBy() {
    return Math.round(this.angle);
  },
  get turned() {
    return { transform: `rotate(${this.angle - 150}deg)` };
  },
  get armWords() {
    return this.recording ? "Stop" : this.armed ? "Wait for play" : "Arm the wheel";
  },
  // The wheel takes up where the curve is.
  meet() {
    const { low, high } = this.range();
    const now = 1 / focusAt(keysOf(FOCUS), viewer().frame);
    this.angle = Math.min(THROW, Math.max(0, ((high - now) / (high - low)) * THROW));
  },
  arm() {
    if (this.recording) return viewer().toggle();
    this.armed = !this.armed;
    if (!this.armed) return;
    this.meet();
    this.words = "Press play (Space), and turn the wheel while the shot plays.";
    this.listen();
  },
  begin() {
    this.recording = true;
    this.from = viewer().frame;
    this.samples = [];
    const take = () => {
      if (!this.recording) return;
      this.pads();
      const frame = viewer().frame;
      const newest = this.samples.at(-1);
      if (newest && frame < newest[0]) return viewer().toggle(); // the range is at its end
      this.samples.push([frame, this.distance]);
      requestAnimationFrame(take);
    };
    take();
  },
  async end() {
    this.recording = false;
    this.armed = false;
    try {
      const found = await askJson("POST", shot().url("focus/fit"), { samples: this.samples, tolerance: this.tolerance }, undefined, true);
      const [first, last] = [found.keys[0].frame, found.keys.at(-1).frame];
      await shot().commit({ do: "perform", keys: found.keys });
      curve().choose(FOCUS, found.keys.map((/** @type {Key} */ key) => key.frame)); // prettier-ignore
      this.words = `Frames ${first} to ${last}: ${found.keys.length} keys, at most ${found.error.toFixed(4)} dioptres off your hand. Go to any frame and perform again from there.`;
    } catch (/** @type {any} */ refusal) {
      this.words = "";
      toast(refusal.message, true);
    }
  },
  turn(/** @type {number} */ by) {
    this.angle = Math.min(THROW, Math.max(0, this.angle + by));
  },
  grab(/** @type {Pointed} */ event) {
    event.preventDefault();
    const wheel = event.currentTarget;
    wheel.focus({ preventScroll: true });
    let x = event.clientX;
    const turn = (/** @type {PointerEvent} */ at) => {
      this.turn((at.clientX - x) * TURN);
      x = at.clientX;
    };
    dragged(wheel, event, turn, undefined, 0);
  },
  wheel(/** @type {Rolled} */ event) {
    event.preventDefault();
    this.turn(event.deltaY * 0.12);
  },
  key(/** @type {Pressed} */ event) {
    const by = { ArrowLeft: -3, ArrowDown: -3, ArrowRight: 3, ArrowUp: 3 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    this.turn(by * (event.shiftKey ? 4 : 1));
  },
  // Knobs, where the browser has them: the first moved control of a MIDI device, or a gamepad's first stick.
  async listen() {
    if (!navigator.requestMIDIAccess) return;
    try {
      const access = await navigator.requestMIDIAccess();
      for (const input of access.inputs.values())
        input.onmidimessage = ({ data }) => data && (data[0] & 0xf0) === CONTROL && this.armed && (this.angle = (data[2] / 127) * THROW);
    } catch {
      // The browser, or its user, said no: the wheel on the screen stays.
    }
  },
  pads() {
    const pad = (navigator.getGamepads?.() ?? []).find?.((one) => one);
    const axis = pad?.axes[0] ?? 0;
    if (Math.abs(axis) > 0.08) this.turn(axis * 4);
  },
});
