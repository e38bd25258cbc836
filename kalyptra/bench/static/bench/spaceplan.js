// The plan of a shot in space, from above or from the side: cards, the camera, and its way. What is dragged here changes
// on the picture, too.
import { bare } from "./bare.js";
import { dragged } from "./drag.js";
import { fullPath, setting } from "./document.js";
import { cardsOf, inSpace } from "./space.js";
import { stepping } from "./steps.js";
import { survey } from "./survey.js";
import { focusedIn, svg } from "./svg.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const SIZE = { width: 264, height: 190, room: 18 };
const NEAREST = 0.02; // metres of a card's distance at least

/** @typedef {[number, number, number]} Spot across, up and ahead, metres */
/** @typedef {{ left: number, top: number, scale: number }} Fit */

/** @param {Spot[]} corners */
const middleOf = (corners) => /** @type {Spot} */ ([0, 1, 2].map((i) => corners.reduce((sum, corner) => sum + corner[i], 0) / corners.length));

export const spacePlan = () => ({
  svg: /** @type {SVGSVGElement} */ (/** @type {unknown} */ (null)),
  side: false,
  /** @type {Fit | null} */
  held: null, // the scale while something is dragged: it must not slide away under the pointer
  init() {
    this.svg = this.$refs.spacePlan;
    window.Alpine.effect(() => this.draw());
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    const step = stepping((grab, by) => this.moved(grab, by));
    this.svg.addEventListener("keydown", (event) => this.key(event, step));
  },
  get fromAbove() {
    return !this.side;
  },
  get fromTheSide() {
    return this.side;
  },
  look(/** @type {Given} */ event) {
    this.side = event.currentTarget.dataset.from === "side";
  },
  get label() {
    return this.side ? "The cards and the camera from the side" : "The cards and the camera from above";
  },
  // A place on the plan: ahead is up from above, and to the right from the side.
  /** @param {Spot} spot @returns {Pair} */
  flat([across, up, ahead]) {
    return this.side ? [ahead, -up] : [across, -ahead];
  },
  /** @param {Spot} spot @param {Fit} fit @returns {Pair} */
  at(spot, { left, top, scale }) {
    const [x, y] = this.flat(spot);
    return [(x - left) * scale, (y - top) * scale];
  },
  /** @param {any} seen @returns {Fit} */
  fit(seen) {
    if (this.held) return this.held;
    const places = [...Object.values(seen.cards).flat(), ...seen.way.map((/** @type {[number, Spot]} */ [, spot]) => spot), seen.camera.slice(0, 3)].map((spot) => this.flat(spot)); // prettier-ignore
    const [xs, ys] = [places.map(([x]) => x), places.map(([, y]) => y)];
    const [wide, high] = [Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys)];
    const scale = Math.min((SIZE.width - 2 * SIZE.room) / Math.max(wide, 0.01), (SIZE.height - 2 * SIZE.room) / Math.max(high, 0.01));
    return { left: (Math.min(...xs) + Math.max(...xs)) / 2 - SIZE.width / 2 / scale, top: (Math.min(...ys) + Math.max(...ys)) / 2 - SIZE.height / 2 / scale, scale }; // prettier-ignore
  },
  draw() {
    const seen = bare(survey().now?.space);
    if (shot().stage !== "footage" || !inSpace() || !seen) return;
    void this.side;
    const fit = this.fit(seen);
    const d = (/** @type {Spot[]} */ spots) => spots.map((spot, i) => `${i ? "L" : "M"}${this.at(spot, fit).map((n) => n.toFixed(1)).join(" ")}`).join(""); // prettier-ignore
    /** @type {SVGElement[]} */
    const parts = [svg("rect", { class: "plan-ground", width: SIZE.width, height: SIZE.height })];
    parts.push(...this.view(seen, fit));
    for (const { id, name } of cardsOf()) {
      const corners = seen.cards[id];
      if (!corners) continue;
      const chosen = id === shot().card;
      parts.push(svg("path", { class: `plan-card ${chosen ? "chosen" : ""}`, d: `${d(corners)}Z`, "data-choose": id }));
      const [left, over] = this.at(corners[1], fit);
      parts.push(svg("text", { class: "name", x: Math.min(left + 4, SIZE.width - 6 * name.length - 4), y: over - 4 }, name));
      if (chosen) parts.push(this.grip("card", ...this.at(middleOf(corners), fit), `${name}, its middle`, "plan-pin"));
    }
    parts.push(...this.ruler(fit));
    parts.push(svg("path", { class: "plan-way", d: d(seen.way.map(([, spot]) => spot)) }));
    const frames = this.keyFrames();
    for (const [frame, spot] of seen.way) {
      if (!frames.has(frame)) continue;
      const [x, y] = this.at(spot, fit);
      parts.push(this.grip(`key:${frame}`, x, y, `The camera at frame ${frame}`, "plan-key"));
    }
    const [x, y] = this.at(/** @type {Spot} */ (seen.camera.slice(0, 3)), fit);
    parts.push(this.grip("camera", x, y, "The camera at this frame", "plan-camera-grip"));
    const focused = focusedIn(this.svg)?.dataset.grab;
    this.svg.replaceChildren(...parts);
    if (focused) /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-grab="${focused}"]`))?.focus({ preventScroll: true });
  },
  // A length to compare with: the longest round one that takes a third of the width at most.
  ruler(/** @type {Fit} */ { scale }) {
    const most = SIZE.width / 3 / scale;
    const power = 10 ** Math.floor(Math.log10(most));
    const long = [5, 2, 1].map((times) => times * power).find((one) => one <= most) ?? power;
    const y = SIZE.height - 6;
    const words = long >= 1 ? `${long} m` : `${Number((long * 100).toPrecision(2))} cm`;
    return [svg("path", { class: "plan-ruler", d: `M6 ${y - 4}v4h${(long * scale).toFixed(1)}v-4` }), svg("text", { x: 10, y: y - 5 }, words)];
  },
  // What the camera sees, and a grip at the end of the line that it looks along.
  /** @param {any} seen @param {Fit} fit */
  view(seen, fit) {
    const spot = /** @type {Spot} */ (seen.camera.slice(0, 3));
    const [pan, tilt] = seen.camera.slice(3);
    const middle = this.side ? tilt : pan;
    const half = seen.angles[this.side ? 1 : 0];
    const long = 60 / fit.scale;
    /** @returns {Pair} */
    const end = (/** @type {number} */ angle, /** @type {number} */ reach) => {
      const [s, c] = [Math.sin((angle * Math.PI) / 180) * reach, Math.cos((angle * Math.PI) / 180) * reach];
      return this.at(this.side ? [0, spot[1] + s, spot[2] + c] : [spot[0] + s, 0, spot[2] + c], fit);
    };
    const [x, y] = this.at(spot, fit);
    const [a, b, aim] = [end(middle - half, 4 * long), end(middle + half, 4 * long), end(middle, long)];
    return [
      svg("path", { class: "plan-wedge", d: `M${x} ${y}L${a.join(" ")}L${b.join(" ")}Z` }),
      svg("path", { class: "plan-line", d: `M${x} ${y}L${aim.join(" ")}` }),
      this.grip("aim", aim[0], aim[1], this.side ? "Where the camera looks, up and down" : "Where the camera looks, left and right", "plan-aim"),
    ];
  },
  /** @param {string} name @param {number} x @param {number} y @param {string} words @param {string} look */
  grip(name, x, y, words, look) {
    return svg("circle", { class: look, cx: x.toFixed(1), cy: y.toFixed(1), r: 5, "data-grab": name, tabindex: 0, role: "button", "aria-label": words });
  },
  keyFrames() {
    const camera = bare(inSpace())?.camera;
    if (!camera) return new Set();
    return new Set([camera.across, camera.up, camera.ahead].filter(({ keys }) => keys.length > 1).flatMap(({ keys }) => keys.map(({ frame }) => frame))); // prettier-ignore
  },

  // What a grab changes when it is moved on the plan by metres, from where it was.
  /** @param {string} grab @param {Pair} by @param {any} seen */
  change(grab, [dx, dy], seen) {
    const [first, second] = [dx, -dy];
    const round = (/** @type {number} */ value) => Number(value.toPrecision(5));
    if (grab === "card") {
      const [across, up, ahead] = middleOf(seen.cards[shot().card]);
      const put = (/** @type {string} */ name, /** @type {number} */ value) => setting(fullPath(`%.${name}`), viewer().frame, round(value));
      if (this.side) return [put("distance", Math.max(NEAREST, ahead + first)), put("up", up + second)];
      return [put("across", across + first), put("distance", Math.max(NEAREST, ahead + second))];
    }
    if (grab === "aim") return this.aimed(first, second, seen);
    const frame = grab === "camera" ? viewer().frame : Number(grab.slice(4));
    const spot = grab === "camera" ? seen.camera : seen.way.find((/** @type {[number, Spot]} */ [at]) => at === frame)[1];
    const put = (/** @type {string} */ name, /** @type {number} */ value) => setting(`space.camera.${name}`, frame, round(value));
    if (this.side) return [put("ahead", spot[2] + first), put("up", spot[1] + second)];
    return [put("across", spot[0] + first), put("ahead", spot[2] + second)];
  },
  /** @param {number} first @param {number} second @param {any} seen */
  aimed(first, second, seen) {
    const long = 60 / this.fit(seen).scale;
    const angle = (seen.camera[this.side ? 4 : 3] * Math.PI) / 180;
    // From the side ahead is to the right, from above it is up.
    const [ahead, aside] = this.side ? [Math.cos(angle) * long + first, Math.sin(angle) * long + second] : [Math.cos(angle) * long + second, Math.sin(angle) * long + first]; // prettier-ignore
    const turned = Math.max(-89, Math.min(89, (Math.atan2(aside, ahead) * 180) / Math.PI));
    return [setting(`space.camera.${this.side ? "tilt" : "pan"}`, viewer().frame, Number(turned.toFixed(2)))];
  },
  down(/** @type {Pointed} */ event) {
    const { grab, choose } = event.target.dataset ?? {};
    if (event.button !== 0) return;
    if (choose) shot().card = choose;
    const seen = bare(survey().now?.space);
    if (!grab || !seen) return;
    event.preventDefault();
    event.target.focus?.({ preventScroll: true });
    const fit = this.fit(seen);
    this.held = fit;
    const scale = SIZE.width / this.svg.getBoundingClientRect().width / fit.scale;
    dragged(
      this.svg,
      event,
      (at) => shot().sketch(this.change(grab, [(at.clientX - event.clientX) * scale, (at.clientY - event.clientY) * scale], seen)),
      (moved) => {
        this.held = null;
        if (moved) shot().commit();
      },
    );
  },
  /** @param {Pressed} event @param {Stepped} step */
  key(event, step) {
    const { grab } = event.target.dataset ?? {};
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!grab || !arrow) return;
    event.preventDefault();
    const many = event.shiftKey ? 10 : 1;
    step(grab, [arrow[0] * many, arrow[1] * many]);
  },
  // By px of the plan.
  async moved(/** @type {string} */ grab, /** @type {Pair} */ [across, down]) {
    const seen = bare(survey().now?.space);
    if (!seen) return;
    const { scale } = this.fit(seen);
    await shot().commit(this.change(grab, [across / scale, down / scale], seen));
  },
});
