// The focus chart: time across, distance up (in dioptres, so that the near end has room). Subjects are ribbons, the focus
// curve has its band from near to far limit, and where a ribbon lies within the band it is drawn as sharp.
import { bare } from "./document.js";
import { curve, FOCUS, focusAt, keysOf, keyValue, markAt, moving, pullsOf, putting } from "./curve.js";
import { dragged } from "./drag.js";
import { sourceHealth } from "./followsource.js";
import { healthOf } from "./following.js";
import { handFrames } from "./lines.js";
import { foundMatte } from "./found.js";
import { focusedIn, svg } from "./svg.js";
import { INFINITE, metres, metresOf, rulers } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

export const LEFT = 84;
export const RIGHT = 12;
const TOP = 24;
const FOOT = 66; // px below the plot: frame numbers, the confidence strip, and the bar of what is ready
const STRIP = { up: 42, height: 13 }; // the confidence strip: px above the foot, and high
const SNAP = 6; // px within which a key goes to what is near by
const INKS = ["brick", "blue", "moss", "plum"];
const LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";

function range(/** @type {Api["Readings"]} */ reading) {
  const distances = [];
  for (const lens of reading.lens) distances.push(lens.focus, lens.near, lens.farthest ?? 1e4, Math.min(lens.far ?? 1e4, 1e4));
  for (const rows of Object.values(reading.subjects)) for (const row of rows) distances.push(row.distance);
  const low = 1 / distances.reduce((a, b) => Math.max(a, b));
  const high = 1 / distances.reduce((a, b) => Math.min(a, b));
  const room = Math.max((high - low) * 0.08, 0.01);
  return { low: Math.max(0, low - room), high: high + room };
}

// The time scale, which the rows below share.
export function timeAt(/** @type {number} */ width) {
  const [first, last] = [curve().first ?? 0, curve().last ?? Math.max(1, shot().end)];
  const room = width - LEFT - RIGHT;
  return {
    x: (/** @type {number} */ frame) => LEFT + ((frame - first) / (last - first)) * room,
    frame: (/** @type {number} */ x) => Math.max(0, Math.min(shot().end, Math.round(first + ((x - LEFT) / room) * (last - first)))),
    first,
    last,
    each: room / (last - first),
  };
}

export function easeWords(/** @type {any} */ ease) {
  return typeof ease === "string" ? { hold: "held", linear: "even", eased: "eased" }[ease] : "by handles";
}

/** @param {Mark} mark @param {number} i */
export const markLook = (mark, i) => {
  const subject = mark.subject && shot().setup.subjects.find((one) => one.id === mark.subject);
  return { letter: LETTERS[i % 26], ink: INKS[subject ? subject.ink : i % 4] };
};

export const chart = () => ({
  svg: /** @type {SVGSVGElement} */ (/** @type {unknown} */ (null)),
  /** @type {any} */
  layers: null,
  size: { width: 0, height: 0 },
  /** @type {Span | null} */
  held: null, // the range of dioptres while something is dragged
  /** @type {Box | null} */
  band: null, // a rectangle that chooses keys
  init() {
    this.svg = this.$refs.chart;
    new ResizeObserver(() => {
      this.size = { width: this.svg.clientWidth, height: this.svg.clientHeight };
    }).observe(this.svg);
    this.layers = { plot: svg("g"), time: svg("g"), focus: svg("g"), head: svg("g") };
    this.svg.replaceChildren(...Object.values(this.layers));
    window.Alpine.effect(() => this.drawPlot());
    window.Alpine.effect(() => this.drawTime());
    window.Alpine.effect(() => this.drawFocus());
    window.Alpine.effect(() => this.drawHead());
    window.Alpine.effect(() => this.follow());
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("keydown", (event) => this.keyed(event));
    this.svg.addEventListener("dblclick", (event) => this.twice(/** @type {Pointed} */ (event)));
    this.svg.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
  },
  get now() {
    return viewer().frame;
  },
  get firstFrame() {
    return shot().setup.footage.first;
  },
  get lastFrame() {
    return shot().setup.footage.last;
  },
  get nowWords() {
    return `frame ${viewer().frame}, ${shot().clip.timecodes[viewer().frame]}`;
  },
  get limitsWords() {
    const at = shot().at(viewer().frame);
    return at ? `focus ${metres(at.lens.focus)}, sharp from ${metres(at.lens.near)} to ${metres(at.lens.far)}` : "";
  },
  get pulling() {
    return shot().stage === "pull";
  },
  get inFlow() {
    return this.pulling ? "in-flow" : "";
  },
  get zoomed() {
    return curve().first !== null || curve().low !== null;
  },
  fit() {
    curve().fit();
  },

  x(/** @type {number} */ frame) {
    return timeAt(this.size.width).x(frame);
  },
  frameAt(/** @type {number} */ x) {
    return timeAt(this.size.width).frame(x);
  },
  get bottom() {
    return this.size.height - FOOT;
  },
  range() {
    if (this.held) return this.held;
    const { low, high } = curve();
    if (low !== null && high !== null) return { low, high };
    return range(/** @type {Api["Readings"]} */ (bare(shot().reading)));
  },
  scale() {
    const { low, high } = this.range();
    const high_px = this.bottom - TOP;
    return {
      y: (/** @type {number | null} */ distance) => TOP + (((distance ? 1 / distance : 0) - low) / (high - low)) * high_px,
      distance: (/** @type {number} */ y) => metresOf(low + ((y - TOP) / high_px) * (high - low)),
      low,
      high,
    };
  },
  // The playhead stays in sight while the shot plays.
  follow() {
    const { first, last } = curve();
    const at = viewer().frame;
    if (first !== null && last !== null && viewer().playing && (at < first || at > last)) queueMicrotask(() => curve().window(at, at + (last - first)));
  },

  drawPlot() {
    const reading = bare(shot().reading);
    const { width } = this.size;
    if (!reading || width === 0) return;
    const { y, low, high } = this.scale();
    const { first, step } = reading;
    const time = timeAt(width);
    const x = (/** @type {number} */ index) => time.x(first + index * step);
    const parts = [svg("rect", { class: "ground", x: LEFT, y: TOP, width: width - LEFT - RIGHT, height: this.bottom - TOP })];
    const tape = bare(shot().setup.focus.marks ?? []).map((mark) => y(markAt(mark.id, viewer().frame)));
    let last = -99;
    for (const [distance, words] of rulers()) {
      const at = y(distance);
      if (1 / distance < low || 1 / distance > high || Math.abs(at - last) < 15) continue;
      last = at;
      parts.push(svg("line", { class: "grid", x1: LEFT, x2: width - RIGHT, y1: at, y2: at }));
      if (tape.every((one) => Math.abs(one - at) > 13)) parts.push(svg("text", { x: LEFT - 8, y: at + 4, "text-anchor": "end" }, words));
    }
    const count = reading.lens.length;
    /** @param {(i: number) => number} near @param {(i: number) => number} far */
    const span = (near, far) => {
      let there = "";
      let back = "";
      for (let i = 0; i < count; i++) {
        there += `${i ? "L" : "M"}${x(i).toFixed(1)} ${y(near(i)).toFixed(1)}`;
        const k = count - 1 - i;
        back += `L${x(k).toFixed(1)} ${y(far(k)).toFixed(1)}`;
      }
      return `${there}${back}Z`;
    };
    const limits = span((i) => reading.lens[i].near, (i) => reading.lens[i].far ?? 0); // prettier-ignore
    const inside = { x: LEFT, y: TOP, width: width - LEFT - RIGHT, height: this.bottom - TOP };
    const clips = svg("defs");
    clips.append(clip("chart-plot", svg("rect", inside)), clip("chart-band", svg("path", { d: limits })));
    const drawn = svg("g", { "clip-path": "url(#chart-plot)" });
    drawn.append(svg("path", { class: "backdrop", d: span((i) => reading.lens[i].nearest, (i) => reading.lens[i].farthest ?? 0) })); // prettier-ignore
    drawn.append(svg("path", { class: "limits", d: limits }));
    const at0 = Math.max(0, Math.min(count - 1, Math.round((time.first - first) / step)));
    const names = [{ at: y(reading.lens[at0].farthest ?? 1e4) + 14, text: "all else", ink: "" }];
    const sharp = svg("g", { "clip-path": "url(#chart-band)" });
    for (const one of shot().setup.subjects) {
      const rows = reading.subjects[one.id];
      if (!rows) continue;
      const half = (one.depth ?? 0) / 2;
      const line = () => rows.map((row, i) => `${i ? "L" : "M"}${x(i).toFixed(1)} ${y(row.distance).toFixed(1)}`).join("");
      const d = half > 0 ? span((i) => Math.max(0.01, rows[i].distance - half), (i) => rows[i].distance + half) : line(); // prettier-ignore
      drawn.append(svg("path", { class: `ribbon ribbon-${one.ink} ${half > 0 ? "" : "thin"}`, d }));
      sharp.append(svg("path", { class: `ribbon-sharp ribbon-${one.ink} ${half > 0 ? "" : "thin"}`, d }));
      names.push({ at: y(rows[at0].distance), text: one.name, ink: `ribbon-${one.ink}` });
    }
    drawn.append(sharp);
    parts.push(clips, drawn);
    // Names side by side where their lines are close.
    names.sort((a, b) => a.at - b.at);
    let free = -99;
    let shift = 0;
    for (const name of names) {
      if (name.at < TOP || name.at > this.bottom + 12) continue;
      shift = Math.abs(name.at - free) < 14 ? shift + 100 : 0;
      free = name.at;
      parts.push(svg("text", { class: `name ${name.ink}`, x: LEFT + 24 + shift, y: Math.max(TOP + 12, name.at - 5) }, name.text));
    }
    this.layers.plot.replaceChildren(...parts);
  },

  // The curve itself, its keys, pulls and marks; drawn from what is on this page, so that a drag answers at once.
  drawFocus() {
    const { width } = this.size;
    const reading = bare(shot().reading);
    if (!reading || width === 0) return;
    const keys = keysOf(FOCUS);
    const { y } = this.scale();
    const time = timeAt(width);
    const parts = [];
    const focused = focusedIn(this.svg)?.dataset ?? {};
    const group = svg("g", { "clip-path": "url(#chart-plot)" });
    const steps = Math.min(600, Math.max(2, Math.ceil(time.last - time.first)));
    let d = "";
    for (let i = 0; i <= steps; i++) {
      const frame = time.first + ((time.last - time.first) * i) / steps;
      d += `${i ? "L" : "M"}${time.x(frame).toFixed(1)} ${y(focusAt(keys, frame)).toFixed(1)}`;
    }
    for (const pull of pullsOf(keys)) {
      const [a, b] = [time.x(pull.left.frame), time.x(pull.right.frame)];
      if (b < LEFT || a > width - RIGHT) continue;
      group.append(svg("rect", { class: "pull-wash", x: a, y: TOP, width: b - a, height: this.bottom - TOP }));
      if (!this.pulling) continue;
      const words = `pull: ${pull.frames} frames, ${easeWords(pull.left.ease ?? "eased")}`;
      parts.push(svg("path", { class: "pull-line", d: `M${a} ${TOP}v-7H${b}v7` }));
      const wide =
        b - a > 34
          ? svg("rect", {
              class: "pull-grip",
              x: a,
              y: TOP - 20,
              width: Math.max(10, b - a),
              height: 18,
              "data-pull": pull.i,
              tabindex: 0,
              role: "button",
              "aria-label": `${words}, from frame ${pull.left.frame}`,
            })
          : null;
      parts.push(svg("text", { class: "pull-name", x: Math.min(Math.max((a + b) / 2, LEFT + 70), width - 80), y: TOP - 11, "text-anchor": "middle" }, words));
      if (wide) parts.push(wide);
    }
    group.append(svg("path", { class: "focus-line", d }));
    group.append(svg("path", { class: "focus-fast", d: this.fast(reading, time, y) }));
    parts.unshift(group);
    for (const cut of bare(shot().seen.focus.cuts ?? [])) {
      if (cut >= time.first && cut <= time.last) parts.push(svg("path", { class: "cut", d: `M${time.x(cut)} ${TOP}V${this.bottom}` }));
    }
    if (keys.length > 1 || this.pulling) {
      for (const key of keys) {
        if (key.frame < time.first || key.frame > time.last) continue;
        const [cx, cy] = [time.x(key.frame), y(keyValue(key, key.frame))];
        if (cy < TOP - 2 || cy > this.bottom + 2) continue;
        const chosen = curve().isChosen(FOCUS, key.frame);
        parts.push(svg("circle", { class: `focus-key ${chosen ? "chosen" : ""}`, cx, cy, r: chosen ? 5.5 : 4.5, "data-focus": key.frame, tabindex: this.pulling ? 0 : -1, role: "button",
          "aria-label": `Focus key at frame ${key.frame}, ${metres(keyValue(key, key.frame))}`, "aria-pressed": chosen })); // prettier-ignore
      }
    }
    parts.push(...this.heldEnds(y));
    if (this.pulling) parts.push(...this.tape(y));
    if (this.band) parts.push(svg("rect", { class: "shape-ring ink-1", ...this.band }));
    this.layers.focus.replaceChildren(...parts);
    for (const name of ["focus", "pull", "mark", "held"]) {
      if (focused[name] === undefined || this.held) continue;
      // A key that was moved has another frame: the keyboard goes along.
      const there = this.layers.focus.querySelector(`[data-${name}="${focused[name]}"]`) ?? this.layers.focus.querySelector(".focus-key.chosen");
      there?.focus({ preventScroll: true });
    }
  },
  // The ends of a range that is held sharp, to be dragged: the near one left of the playhead, the far one right of it.
  heldEnds(/** @type {(distance: number | null) => number} */ y) {
    const lens = shot().at(viewer().frame)?.lens;
    if (!shot().setup.lens.held || !lens || !["lens", "pull"].includes(shot().stage)) return [];
    const at = timeAt(this.size.width).x(viewer().frame);
    return /** @type {const} */ (["near", "far"])
      .map((end) => ({ end, top: y(lens[end]) }))
      .filter(({ top }) => top >= TOP - 4 && top <= this.bottom + 4)
      .map(({ end, top }) =>
        svg("path", { class: "held-end", d: `M${at} ${top}h${end === "near" ? -16 : 16}v-4v8`, "data-held": end, tabindex: 0, role: "slider",
          "aria-label": `${end === "near" ? "Near" : "Far"} end of the sharp range`, "aria-valuenow": lens[end] ?? INFINITE, "aria-valuetext": metres(lens[end]) }),
      ); // prettier-ignore
  },
  // Where focus moves faster than a hand.
  /** @param {Api["Readings"]} reading @param {TimeScale} time @param {(distance: number) => number} y */
  fast({ speeds, lens, first, step }, time, y) {
    const most = shot().setup.focus.fastest ?? 4;
    const at = (/** @type {number} */ i) => `${time.x(first + i * step).toFixed(1)} ${y(lens[i].focus).toFixed(1)}`;
    return speeds.map((speed, i) => (Math.abs(speed) > most && i + 1 < lens.length ? `M${at(i)}L${at(i + 1)}` : "")).join("");
  },
  // Marks lie on the axis as tape lies on a lens; those that would cover each other are moved aside.
  tape(/** @type {(distance: number | null) => number} */ y) {
    /** @type {SVGElement[]} */
    const parts = [];
    let free = -99;
    bare(shot().seen.focus.marks ?? [])
      .map((mark, i) => ({ mark, at: y(markAt(mark.id, viewer().frame)), ...markLook(mark, i) }))
      .sort((a, b) => a.at - b.at)
      .forEach(({ mark, at, letter, ink }) => {
        if (at < TOP - 8 || at > this.bottom + 8) return;
        const top = Math.max(at, free + 15);
        free = top;
        const words = metres(markAt(mark.id, viewer().frame));
        parts.push(
          svg("path", {
            class: `tape tape-${ink}`,
            d: `M${LEFT - 24} ${top - 7}h14l8 7l-8 7h-14Z`,
            "data-mark": mark.id,
            tabindex: 0,
            role: "button",
            "aria-label": `Mark ${letter}, ${mark.name}, ${words}`,
          }),
        );
        parts.push(svg("text", { class: "tape-letter", x: LEFT - 17, y: top + 4, "text-anchor": "middle" }, letter));
        parts.push(svg("text", { x: LEFT - 28, y: top + 4, "text-anchor": "end" }, words));
      });
    return parts;
  },

  drawTime() {
    const { width, height } = this.size;
    if (width === 0) return;
    const { first, last } = shot().setup.footage;
    const time = timeAt(width);
    const x = (/** @type {number} */ frame) => Math.max(LEFT, Math.min(width - RIGHT, time.x(frame)));
    const wide = time.last - time.first;
    const step = [1, 2, 5, 10, 12, 24, 48, 100, 200, 500, 1000, 2000, 5000, 10000].find((one) => (one / wide) * (width - LEFT) > 62) ?? 20000;
    const parts = [];
    for (let frame = Math.ceil(time.first / step) * step; frame <= time.last; frame += step) {
      parts.push(svg("line", { class: "grid", x1: time.x(frame), x2: time.x(frame), y1: TOP, y2: this.bottom }));
      parts.push(svg("text", { x: time.x(frame), y: this.bottom + 14, "text-anchor": "middle" }, String(frame)));
    }
    const bar = { y: height - 20, height: 6 };
    parts.push(svg("text", { x: LEFT - 8, y: bar.y + 7, "text-anchor": "end" }, "ready"));
    parts.push(svg("rect", { class: "waiting", x: x(first), width: Math.max(1, x(last) - x(first)), ...bar }));
    for (const [a, b] of viewer().ready)
      if (b >= time.first && a <= time.last) parts.push(svg("rect", { class: "ready", x: x(a), width: Math.max(2, x(b) - x(a)), ...bar }));
    parts.push(...this.strip(height - STRIP.up, time));
    if (first > time.first) parts.push(svg("rect", { class: "outside", x: LEFT, y: TOP, width: x(first) - LEFT, height: this.bottom - TOP }));
    if (last < time.last) parts.push(svg("rect", { class: "outside", x: x(last), y: TOP, width: width - RIGHT - x(last), height: this.bottom - TOP }));
    if (first >= time.first) parts.push(svg("rect", { class: "range-end", "data-end": "first", x: x(first) - 3, y: height - 24, width: 4, height: 14 }));
    if (last <= time.last) parts.push(svg("rect", { class: "range-end", "data-end": "last", x: x(last) - 1, y: height - 24, width: 4, height: 14 }));
    this.layers.time.replaceChildren(...parts);
  },

  // Whether the strip is that of the chosen source of distance.
  get ofSource() {
    return shot().stage === "distance" && sourceHealth() !== null;
  },
  // How far the chosen outline can be trusted: high where it can, hatched where a frame needs a look, and its keys.
  /** @param {number} top @param {TimeScale} time */
  strip(top, time) {
    const of = this.ofSource ? sourceHealth() : null;
    const outline = of ? null : shot().outline();
    const matte = foundMatte();
    const health = of ?? healthOf(shot().chosen, outline?.id);
    if (!outline && !health) return [];
    const parts = [svg("text", { x: LEFT - 8, y: top + 11, "text-anchor": "end" }, of ? "source" : outline ? "outline" : "matte")];
    const { height } = STRIP;
    const { first, step } = shot().reading ?? { first: 0, step: 1 };
    const wide = Math.max(1.2, time.each * step);
    const seen = (/** @type {number} */ x) => x > LEFT - 6 && x < this.size.width - RIGHT + 6;
    let good = "";
    let bad = "";
    let unseen = "";
    (health?.frames ?? []).forEach(([kind, sure, look], i) => {
      if (((outline || of) && kind === "b") || kind === "-" || kind === "n") return;
      const x = time.x(first + i * step) - time.each / 2;
      if (!seen(x)) return;
      const high = Math.max(1.5, (sure / 100) * height);
      const bar = `M${x.toFixed(1)} ${(top + height).toFixed(1)}v${(-high).toFixed(1)}h${wide.toFixed(1)}v${high.toFixed(1)}z`;
      if (look) bad += bar + `M${x.toFixed(1)} ${top}h${wide.toFixed(1)}v3h${(-wide).toFixed(1)}z`;
      else good += bar;
      if (kind === "p") unseen += `M${x.toFixed(1)} ${top + 6}h${(wide * 0.6).toFixed(1)}v2h${(-wide * 0.6).toFixed(1)}z`;
    });
    parts.push(svg("path", { class: "trust-good", d: good }), svg("path", { class: "trust-bad", d: bad }), svg("path", { class: "trust-unseen", d: unseen }));
    const ofHand = () => (health?.frames ?? []).flatMap(([kind], i) => (kind === "h" ? [first + i * step] : []));
    const hand = of ? ofHand() : outline ? handFrames(outline) : (matte?.keys ?? []).map((key) => key.frame);
    for (const frame of hand) {
      const x = time.x(frame);
      if (!seen(x)) continue;
      const d = `M${x} ${top - 3}l5 9.5l-5 9.5l-5 -9.5Z`;
      parts.push(
        svg("path", {
          class: `hand-key ${of ? "of-source" : `ribbon-${shot().subject()?.ink}`}`,
          d,
          "data-key": frame,
          tabindex: 0,
          role: "button",
          "aria-label": `Hand-made key at frame ${frame}`,
        }),
      );
    }
    return parts;
  },

  drawHead() {
    if (this.size.width === 0) return;
    const at = this.x(viewer().frame);
    if (at < LEFT - 1 || at > this.size.width - RIGHT + 1) return this.layers.head.replaceChildren();
    this.layers.head.replaceChildren(
      svg("line", { class: "playhead", x1: at, x2: at, y1: TOP - 4, y2: this.size.height - 8 }),
      svg("path", { class: "playhead-tip", d: `M${at - 5} ${TOP - 6}h10l-5 8z` }), // below the words of a pull
    );
  },

  // Follow the pointer until it is let go; `end` is told whether it moved.
  /** @param {Pointed} event @param {(x: number, y: number, at: Pointed) => void} move @param {((moved: boolean) => void)} end */
  track(event, move, end) {
    const box = this.svg.getBoundingClientRect();
    dragged(this.svg, event, (at) => move(at.clientX - box.left, at.clientY - box.top, at), (moved) => {
      this.held = null;
      end?.(moved);
    }); // prettier-ignore
  },
  // What a key is drawn to: other keys, the playhead and cuts in time; marks and subjects in distance.
  /** @param {number} x @param {number} y @param {number[]} frames */
  snapped(x, y, frames) {
    const time = timeAt(this.size.width);
    const others = [...keysOf(FOCUS, shot().setup).map((key) => key.frame).filter((one) => !frames.includes(one)), viewer().frame, ...bare(shot().setup.focus.cuts ?? [])]; // prettier-ignore
    const near = others.find((frame) => Math.abs(time.x(frame) - x) < SNAP);
    const frame = near ?? time.frame(x);
    const scale = this.scale();
    const marks = bare(shot().setup.focus.marks ?? []);
    const mark = marks.find((one) => Math.abs(scale.y(markAt(one.id, frame)) - y) < SNAP);
    if (mark) return { frame, mark: mark.id, value: markAt(mark.id, frame) };
    const at = shot().at(frame);
    const subject = Object.values(at?.subjects ?? {}).find((one) => Math.abs(scale.y(one.distance) - y) < SNAP);
    return { frame, mark: null, value: Number((subject?.distance ?? scale.distance(y)).toPrecision(5)) };
  },
  /** @param {number} from @param {Pointed} event */
  pullFocusKey(from, event) {
    if (event.shiftKey) {
      const chosen = curve().path === FOCUS ? curve().chosen : [];
      curve().choose(FOCUS, chosen.includes(from) ? chosen.filter((one) => one !== from) : [...chosen, from]);
      return;
    }
    if (!curve().isChosen(FOCUS, from)) curve().choose(FOCUS, [from]);
    const frames = [...curve().chosen];
    this.held = this.range();
    const start = keysOf(FOCUS, shot().setup).find((key) => key.frame === from);
    if (!start) return;
    const y0 = this.scale().y(keyValue(start, from));
    this.track(
      event,
      (x, y, at) => {
        const to = this.snapped(x, y, frames);
        const by = Math.max(-Math.min(...frames), to.frame - from);
        /** @type {((key: Key) => Partial<Key>) | null} */
        let change = null;
        // Up and down only once it is meant: a key that is moved in time alone keeps its mark.
        const upright = at.altKey || Math.abs(y - y0) > 4;
        if (upright && frames.length === 1) change = (key) => ({ ...key, value: to.value, mark: to.mark });
        else if (upright) {
          const step = 1 / (to.value ?? Infinity) - 1 / keyValue(start, from);
          change = (key) => ({ ...key, mark: null, value: metresOf(1 / keyValue(key, key.frame) + step) });
        }
        curve().chosen = frames.map((frame) => frame + by);
        shot().sketch(moving(FOCUS, frames, by, change), true);
      },
      (moved) => {
        if (moved) shot().commit();
        else viewer().go(from);
      },
    );
  },
  /** @param {"near" | "far"} end @param {number} dioptres */
  holding: (end, dioptres) => ({ do: "hold-end", end, frame: viewer().frame, distance: Number(metresOf(dioptres).toPrecision(4)) }),
  /** @param {"near" | "far"} end @param {Pointed} event */
  pullHeld(end, event) {
    this.held = this.range();
    this.track(
      event,
      (_, y) => shot().sketch(this.holding(end, 1 / this.scale().distance(y)), true),
      (moved) => moved && shot().commit(),
    );
  },
  /** @param {number} i @param {Pointed} event */
  pullWhole(i, event) {
    const pull = pullsOf(keysOf(FOCUS, shot().setup)).find((one) => one.i === i);
    if (!pull) return;
    const frames = [pull.left.frame, pull.right.frame];
    curve().choose(FOCUS, frames);
    const time = timeAt(this.size.width);
    const from = event.clientX - this.svg.getBoundingClientRect().left;
    this.track(
      event,
      (x) => {
        const by = Math.max(-frames[0], Math.round((x - from) / time.each));
        curve().chosen = frames.map((frame) => frame + by);
        shot().sketch(moving(FOCUS, frames, by), true);
      },
      (moved) => moved && shot().commit(),
    );
  },
  /** @param {string} id @param {Pointed} event */
  pullMark(id, event) {
    this.held = this.range();
    const mark = bare(shot().setup.focus.marks ?? []).find((one) => one.id === id);
    if (!mark || mark.subject) return;
    this.track(
      event,
      (_, y) => {
        const value = Number(this.scale().distance(y).toPrecision(4));
        shot().sketch({ do: "put", path: `focus.marks.${id}.distance`, value });
        // The curve on this page follows at once; the server's numbers come after.
        const reading = bare(shot().reading);
        if (reading?.marks) shot().reading = { ...reading, marks: { ...reading.marks, [id]: reading.marks[id].map(() => value) } };
      },
      (moved) => moved && shot().commit(),
    );
  },
  chooseBand(/** @type {Pointed} */ event) {
    const box = this.svg.getBoundingClientRect();
    const [x0, y0] = [event.clientX - box.left, event.clientY - box.top];
    this.track(
      event,
      (x, y) => {
        const band = { x: Math.min(x, x0), y: Math.min(y, y0), width: Math.abs(x - x0), height: Math.abs(y - y0) };
        this.band = band;
        const scale = this.scale();
        const inside = keysOf(FOCUS).filter((key) => {
          const [cx, cy] = [this.x(key.frame), scale.y(keyValue(key, key.frame))];
          return cx >= band.x && cx <= band.x + band.width && cy >= band.y && cy <= band.y + band.height;
        });
        curve().choose(FOCUS, inside.map((key) => key.frame)); // prettier-ignore
      },
      () => (this.band = null),
    );
  },

  movingHandKey: (/** @type {string} */ outline, /** @type {number} */ frame, /** @type {number} */ to) => ({
    do: "move-outline-key",
    subject: shot().chosen,
    outline,
    frame,
    to,
  }),
  // A hand-made key is moved in time; a press alone goes there.
  /** @param {number} from @param {Pointed} event */
  pullKey(from, event) {
    const line = this.ofSource ? "" : shot().line;
    let to = from;
    this.track(
      event,
      (x) => {
        if (!line) return; // a matte belongs to its frame
        to = this.frameAt(x);
        viewer().go(to);
      },
      () => {
        if (to === from) viewer().go(from);
        else shot().commit(this.movingHandKey(line, from, to));
      },
    );
  },
  keyed(/** @type {Pressed} */ event) {
    const { key, focus, pull, mark, held } = event.target.dataset ?? {};
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const up = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    const command = event.ctrlKey || event.metaKey;
    const many = event.shiftKey ? 10 : 1;
    const done = () => {
      event.preventDefault();
      event.stopPropagation();
    };
    if (key !== undefined) {
      if (!by && event.key !== "Enter") return;
      done();
      if (!by) viewer().go(Number(key));
      else if (shot().line && !this.ofSource) shot().commit(this.movingHandKey(shot().line, Number(key), Number(key) + by));
      return;
    }
    if (pull !== undefined) {
      const found = pullsOf(keysOf(FOCUS)).find((one) => one.i === Number(pull));
      if (!found) return;
      if (by && event.altKey) {
        done();
        if (found.right.frame + by > found.left.frame) shot().commit(moving(FOCUS, [found.right.frame], by));
      } else if (by) {
        done();
        curve().choose(FOCUS, [found.left.frame, found.right.frame]);
        curve().nudge(by * many);
      }
      return;
    }
    if (held !== undefined && up) {
      done();
      const [{ low, high }, lens] = [this.scale(), shot().at(viewer().frame)?.lens];
      const now = held === "near" ? lens?.near : lens?.far;
      shot().commit(this.holding(held, (now ? 1 / now : 0) + ((high - low) / 200) * up * many));
      return;
    }
    if (mark !== undefined && up) {
      done();
      this.shiftMark(mark, up * many);
      return;
    }
    const letter = event.key.toLowerCase();
    if (command && letter === "c" && curve().chosen.length) return (done(), curve().copy());
    if (command && letter === "v" && curve().held.length) return (done(), curve().paste());
    if (focus === undefined) return;
    if (!curve().isChosen(FOCUS, Number(focus))) curve().choose(FOCUS, [Number(focus)]);
    const { low, high } = this.scale();
    if (by) (done(), curve().nudge(by * many));
    else if (up) (done(), curve().shift(((high - low) / 200) * up * many));
    else if (event.key === "Delete" || event.key === "Backspace") (done(), curve().drop());
    else if (event.key === "Enter") (done(), viewer().go(Number(focus)));
    else if (event.key === "Escape") (done(), curve().clear());
  },
  /** @param {string} id @param {number} by */
  shiftMark(id, by) {
    const { low, high } = this.scale();
    const mark = bare(shot().setup.focus.marks ?? []).find((one) => one.id === id);
    if (!mark || mark.subject) return;
    const value = Number(metresOf(1 / mark.distance + ((high - low) / 200) * by).toPrecision(5));
    shot().commit({ do: "put", path: `focus.marks.${id}.distance`, value });
  },
  // Twice on the plot puts a key there.
  twice(/** @type {Pointed} */ event) {
    if (!this.pulling || event.target.dataset.focus !== undefined) return;
    const box = this.svg.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    if (x < LEFT || y < TOP || y > this.bottom) return;
    const found = this.snapped(x, y, []);
    shot().commit(putting(FOCUS, { ...found, ease: "eased" }));
    curve().choose(FOCUS, [found.frame]);
  },
  // The wheel zooms in time, with Shift it scrolls, with Ctrl or Alt it zooms in distance.
  wheel(/** @type {Rolled} */ event) {
    event.preventDefault();
    const box = this.svg.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    const time = timeAt(this.size.width);
    const turn = event.deltaY || event.deltaX;
    if (event.shiftKey) curve().scroll(((time.last - time.first) / 12) * Math.sign(turn));
    else if (event.ctrlKey || event.altKey) {
      const { low, high, distance } = this.scale();
      const at = 1 / distance(y);
      const by = Math.exp(turn * 0.0015);
      [curve().low, curve().high] = [Math.max(0, at - (at - low) * by), at + (high - at) * by];
    } else curve().zoom(Math.exp(turn * 0.0015), time.first + (x - LEFT) / time.each);
  },

  down(/** @type {Pointed} */ event) {
    if (event.button !== 0) return;
    const { end, key, focus, pull, mark, held } = event.target.dataset ?? {};
    if (key !== undefined) return this.pullKey(Number(key), event);
    if (this.pulling && focus !== undefined) return (event.target.focus?.({ preventScroll: true }), this.pullFocusKey(Number(focus), event));
    if (held !== undefined) return (event.target.focus?.({ preventScroll: true }), this.pullHeld(held, event));
    if (pull !== undefined) return this.pullWhole(Number(pull), event);
    if (mark !== undefined) return this.pullMark(mark, event);
    if (this.pulling && event.shiftKey && !end) return this.chooseBand(event);
    const box = this.svg.getBoundingClientRect();
    if (!end) viewer().go(this.frameAt(event.clientX - box.left));
    this.track(
      event,
      (x) => {
        const frame = this.frameAt(x);
        if (!end) return viewer().go(frame);
        const { first, last } = shot().setup.footage;
        shot().draft({ do: "set-range", [end]: end === "first" ? Math.min(frame, last) : Math.max(frame, first) });
      },
      (moved) => end && moved && shot().commit(),
    );
  },
});

/** @param {string} id @param {SVGElement} shape */
function clip(id, shape) {
  const found = svg("clipPath", { id });
  found.append(shape);
  return found;
}
