// The focus chart: time across, distance up (in dioptres, so that the near end has room), and the timeline below.
import { bare } from "./document.js";
import { needsLook, trustOf } from "./following.js";
import { handFrames, movingHandKey } from "./lines.js";
import { foundMatte } from "./found.js";
import { svg } from "./svg.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

const LEFT = 84;
const RIGHT = 12;
const TOP = 10;
const FOOT = 66; // px below the plot: frame numbers, the outline's confidence, and the bar of what is ready
const STRIP = { up: 42, height: 13 }; // the confidence strip: px above the foot, and high
const RULERS = [0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 0.9, 1.2, 1.5, 2, 2.8, 4, 5.6, 8, 11, 16, 32, 100];

function range(reading) {
  const distances = [];
  for (const lens of reading.lens) distances.push(lens.focus, lens.near, lens.backdrop, lens.far ?? 1e4);
  for (const rows of Object.values(reading.subjects)) for (const row of rows) distances.push(row.distance);
  const low = 1 / Math.max(...distances);
  const high = 1 / Math.min(...distances);
  const room = Math.max((high - low) * 0.08, 0.01);
  return { low: Math.max(0, low - room), high: high + room };
}

export const chart = () => ({
  svg: null,
  layers: null,
  size: { width: 0, height: 0 },
  init() {
    this.svg = this.$refs.chart;
    new ResizeObserver(() => {
      this.size = { width: this.svg.clientWidth, height: this.svg.clientHeight };
    }).observe(this.svg);
    this.layers = { plot: svg("g"), time: svg("g"), head: svg("g") };
    this.svg.replaceChildren(...Object.values(this.layers));
    window.Alpine.effect(() => this.drawPlot());
    window.Alpine.effect(() => this.drawTime());
    window.Alpine.effect(() => this.drawHead());
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("keydown", (event) => this.keyed(event));
  },
  get now() {
    return viewer().frame;
  },
  get nowWords() {
    return `frame ${viewer().frame}, ${shot().clip.timecodes[viewer().frame]}`;
  },
  get limitsWords() {
    const at = shot().at(viewer().frame);
    return at ? `focus ${metres(at.lens.focus)}, sharp from ${metres(at.lens.near)} to ${metres(at.lens.far)}` : "";
  },

  // Time shows the whole clip, so that the shot's range can be pulled in and out.
  x(frame) {
    const frames = Math.max(1, shot().clip.frames - 1);
    return LEFT + (frame / frames) * (this.size.width - LEFT - RIGHT);
  },
  frameAt(x) {
    const share = (x - LEFT) / (this.size.width - LEFT - RIGHT);
    return Math.round(Math.max(0, Math.min(1, share)) * (shot().clip.frames - 1));
  },
  get bottom() {
    return this.size.height - FOOT;
  },

  drawPlot() {
    const reading = bare(shot().reading);
    const { width, height } = this.size;
    if (!reading || width === 0) return;
    const { low, high } = range(reading);
    const y = (distance) => this.bottom - (1 - ((distance ? 1 / distance : 0) - low) / (high - low)) * (this.bottom - TOP);
    const x = (index) => this.x(reading.first + index * reading.step);
    const parts = [svg("rect", { class: "ground", x: LEFT, y: TOP, width: width - LEFT - RIGHT, height: this.bottom - TOP })];
    let last = -99;
    for (const distance of RULERS) {
      const at = y(distance);
      if (at < TOP + 3 || at > this.bottom - 2 || Math.abs(at - last) < 15) continue;
      last = at;
      parts.push(svg("line", { class: "grid", x1: LEFT, x2: width - RIGHT, y1: at, y2: at }));
      parts.push(svg("text", { x: LEFT - 8, y: at + 4, "text-anchor": "end" }, `${distance} m`));
    }
    const path = (value) => reading.lens.map((_, i) => `${i ? "L" : "M"}${x(i).toFixed(1)} ${y(value(i)).toFixed(1)}`).join("");
    const back = reading.lens.map((_, i) => `L${x(reading.lens.length - 1 - i).toFixed(1)} ${y(reading.lens[reading.lens.length - 1 - i].far).toFixed(1)}`).join("");
    parts.push(svg("path", { class: "limits", d: `${path((i) => reading.lens[i].near)}${back}Z` }));
    parts.push(svg("path", { class: "backdrop", d: path((i) => reading.lens[i].backdrop) }));
    const names = [{ at: y(reading.lens[0].backdrop), text: "Backdrop", ink: "" }];
    for (const one of shot().setup.subjects) {
      const rows = reading.subjects[one.id];
      if (!rows) continue;
      parts.push(svg("path", { class: `ribbon ribbon-${one.ink}`, d: path((i) => rows[i].distance) }));
      // Where the ribbon lies within the limits it is drawn as sharp.
      let run = "";
      rows.forEach((row, i) => {
        const { near, far } = reading.lens[i];
        const sharp = row.distance >= near && (far === null || row.distance <= far);
        run += sharp ? `${run === "" || run.endsWith("|") ? "M" : "L"}${x(i).toFixed(1)} ${y(row.distance).toFixed(1)}` : "|";
      });
      const sharp = run.replaceAll("|", "");
      if (sharp) parts.push(svg("path", { class: `ribbon-sharp ribbon-${one.ink}`, d: sharp }));
      names.push({ at: y(rows[0].distance), text: one.name, ink: `ribbon-${one.ink}` });
    }
    parts.push(svg("path", { class: "focus-line", d: path((i) => reading.lens[i].focus) }));
    const keys = shot().setup.focus.distance.keys;
    if (keys.length > 1) for (const key of keys) parts.push(svg("circle", { class: "focus-key", cx: this.x(key.frame), cy: y(key.value), r: 4.5 }));
    // Names side by side where their lines are close.
    names.sort((a, b) => a.at - b.at);
    let free = -99;
    let shift = 0;
    for (const name of names) {
      shift = Math.abs(name.at - free) < 14 ? shift + 110 : 0;
      free = name.at;
      parts.push(svg("text", { class: `name ${name.ink}`, x: this.x(reading.first) + 10 + shift, y: Math.max(TOP + 12, name.at - 5) }, name.text));
    }
    this.layers.plot.replaceChildren(...parts);
  },

  drawTime() {
    const { width, height } = this.size;
    if (width === 0) return;
    const { first, last } = shot().setup.footage;
    const frames = shot().clip.frames;
    const step = [1, 2, 5, 10, 12, 24, 48, 100, 200, 500, 1000, 2000, 5000, 10000].find((one) => (one / frames) * (width - LEFT) > 62) ?? 20000;
    const parts = [];
    for (let frame = 0; frame < frames; frame += step) {
      parts.push(svg("line", { class: "grid", x1: this.x(frame), x2: this.x(frame), y1: TOP, y2: this.bottom }));
      parts.push(svg("text", { x: this.x(frame), y: this.bottom + 14, "text-anchor": "middle" }, String(frame)));
    }
    const bar = { y: height - 20, height: 6 };
    parts.push(svg("text", { x: LEFT - 8, y: bar.y + 7, "text-anchor": "end" }, "ready"));
    parts.push(svg("rect", { class: "waiting", x: this.x(first), width: Math.max(1, this.x(last) - this.x(first)), ...bar }));
    for (const [a, b] of viewer().ready) parts.push(svg("rect", { class: "ready", x: this.x(a), width: Math.max(2, this.x(b) - this.x(a)), ...bar }));
    parts.push(...this.strip(height - STRIP.up, first));
    if (first > 0) parts.push(svg("rect", { class: "outside", x: LEFT, y: TOP, width: this.x(first) - LEFT, height: this.bottom - TOP }));
    if (last < frames - 1) parts.push(svg("rect", { class: "outside", x: this.x(last), y: TOP, width: width - RIGHT - this.x(last), height: this.bottom - TOP }));
    parts.push(svg("rect", { class: "range-end", "data-end": "first", x: this.x(first) - 3, y: height - 24, width: 4, height: 14 }));
    parts.push(svg("rect", { class: "range-end", "data-end": "last", x: this.x(last) - 1, y: height - 24, width: 4, height: 14 }));
    this.layers.time.replaceChildren(...parts);
  },

  // How far the chosen outline can be trusted: high where it can, hatched where a frame needs a look, and its keys.
  strip(top, first) {
    const outline = shot().outline();
    const matte = foundMatte();
    if (!outline && !shot().reading?.mattes?.[shot().chosen]) return [];
    const parts = [svg("text", { x: LEFT - 8, y: top + 11, "text-anchor": "end" }, outline ? "outline" : "matte")];
    const { height } = STRIP;
    const wide = Math.max(1.2, this.x(1) - this.x(0));
    let good = "";
    let bad = "";
    let unseen = "";
    trustOf(shot().chosen, outline?.id).forEach(([kind, sure], i) => {
      if ((outline && kind === "b") || kind === "-" || kind === "n") return;
      const x = this.x(first + i) - wide / 2;
      const high = Math.max(1.5, (sure / 100) * height);
      const bar = `M${x.toFixed(1)} ${(top + height).toFixed(1)}v${(-high).toFixed(1)}h${wide.toFixed(1)}v${high.toFixed(1)}z`;
      if (needsLook([kind, sure])) bad += bar + `M${x.toFixed(1)} ${top}h${wide.toFixed(1)}v3h${(-wide).toFixed(1)}z`;
      else good += bar;
      if (kind === "p") unseen += `M${x.toFixed(1)} ${top + 6}h${(wide * 0.6).toFixed(1)}v2h${(-wide * 0.6).toFixed(1)}z`;
    });
    parts.push(svg("path", { class: "trust-good", d: good }), svg("path", { class: "trust-bad", d: bad }), svg("path", { class: "trust-unseen", d: unseen }));
    const hand = outline ? handFrames(outline) : (matte?.keys ?? []).map((key) => key.frame);
    for (const frame of hand) {
      const x = this.x(frame);
      const d = `M${x} ${top - 3}l5 9.5l-5 9.5l-5 -9.5Z`;
      parts.push(svg("path", { class: `hand-key ribbon-${shot().subject().ink}`, d, "data-key": frame, tabindex: 0, role: "button", "aria-label": `Hand-made key at frame ${frame}` }));
    }
    return parts;
  },

  drawHead() {
    if (this.size.width === 0) return;
    const at = this.x(viewer().frame);
    this.layers.head.replaceChildren(
      svg("line", { class: "playhead", x1: at, x2: at, y1: TOP - 4, y2: this.size.height - 8 }),
      svg("path", { class: "playhead-tip", d: `M${at - 5} 0h10l-5 8z` }),
    );
  },

  // A hand-made key is moved in time; a press alone goes there.
  pullKey(from, event) {
    const line = shot().line;
    let to = from;
    this.svg.setPointerCapture(event.pointerId);
    const move = (at) => {
      if (!line) return; // a matte belongs to its frame
      to = this.frameAt(at.clientX - this.svg.getBoundingClientRect().left);
      viewer().go(to);
    };
    const stop = () => {
      this.svg.removeEventListener("pointermove", move);
      if (to === from) viewer().go(from);
      else shot().commit(movingHandKey(line, from, to));
    };
    this.svg.addEventListener("pointermove", move);
    this.svg.addEventListener("pointerup", stop, { once: true });
    this.svg.addEventListener("pointercancel", stop, { once: true });
  },
  keyed(event) {
    const { key } = event.target.dataset ?? {};
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (key === undefined || (!by && event.key !== "Enter")) return;
    event.preventDefault();
    if (!by) viewer().go(Number(key));
    else if (shot().line) shot().commit(movingHandKey(shot().line, Number(key), Number(key) + by));
  },

  down(event) {
    if (event.button !== 0) return;
    const { end, key } = event.target.dataset ?? {};
    if (key !== undefined) {
      this.pullKey(Number(key), event);
      return;
    }
    const local = (at) => this.frameAt(at.clientX - this.svg.getBoundingClientRect().left);
    const move = (at) => {
      const frame = local(at);
      if (!end) return viewer().go(frame);
      const { first, last } = shot().setup.footage;
      shot().draft((setup) => (setup.footage[end] = end === "first" ? Math.min(frame, last) : Math.max(frame, first)));
    };
    this.svg.setPointerCapture(event.pointerId);
    this.svg.addEventListener("pointermove", move);
    const stop = () => {
      this.svg.removeEventListener("pointermove", move);
      if (end) shot().commit();
    };
    this.svg.addEventListener("pointerup", stop, { once: true });
    this.svg.addEventListener("pointercancel", stop, { once: true });
    if (!end) move(event);
  },
});
