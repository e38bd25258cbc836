// Pointing at the picture: the distance under the pointer becomes a mark, or the pull that arrives there now.
import { bare } from "./document.js";
import { curve, FOCUS, markAt } from "./curve.js";
import { newId } from "./lines.js";
import { survey } from "./survey.js";
import { svg } from "./svg.js";
import { toast } from "./toasts.js";
import { metres } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
export const pointing = () => window.Alpine.store("pointing");
const ALIKE = 0.012; // share of the dioptres by which a place may differ from a subject or a mark and still be it

// What lies at a place: metres, and the subject whose distance that is.
/** @param {number} x @param {number} y */
export function seenAt(x, y) {
  const away = survey().at(x, y);
  const { now } = survey();
  if (away === null || !now) return null;
  const alike = (/** @type {number} */ distance) => Math.abs(1 / distance - 1 / away) <= ALIKE / away;
  const read = now.subjects;
  const subject = bare(shot().setup.subjects).find((one) => read[one.id] && alike(read[one.id].distance));
  const mark = bare(shot().setup.focus.marks ?? []).find((one) => !one.subject && alike(markAt(one.id, viewer().frame) ?? Infinity));
  return { distance: Number(Math.min(away, 1e4).toPrecision(4)), subject: subject ?? null, mark: subject ? null : (mark ?? null) };
}

/** @param {any} found @param {string} [name] */
export function markFor(found, name) {
  const marks = bare(shot().setup.focus.marks ?? []);
  const known = found.subject ? marks.find((one) => one.subject === found.subject.id) : found.mark;
  if (known) return { mark: known, fresh: false };
  const made = { id: newId(), name: (name ?? found.subject?.name ?? "").slice(0, 40), distance: found.distance, subject: found.subject?.id ?? null };
  return { mark: made, fresh: true };
}

const adding = (/** @type {any} */ mark) => ({ do: "add-mark", ...mark });

// A mark at what was pointed at.
export function addMark(/** @type {any} */ found) {
  const { mark, fresh } = markFor(found);
  if (fresh) shot().commit(adding(mark));
  else toast(`${mark.name} is marked already.`);
}

// Commands on the mark of what was pointed at: it is made where there is none.
/** @param {any} found @param {(mark: string | null) => Command} command */
export function onMark(found, command) {
  const named = found.subject || found.mark ? markFor(found) : null;
  return [...(named?.fresh ? [adding(named.mark)] : []), command(named?.mark.id ?? null)];
}

// Frames that a pull takes.
export const takenFrames = () => Math.round(curve().takeIn === "s" ? curve().take * shot().clip.rate : curve().take);

// The pull that arrives, at this frame, at what was pointed at.
export function pullTo(/** @type {any} */ found) {
  const frame = viewer().frame;
  const take = Math.min(takenFrames(), frame - shot().setup.footage.first);
  curve().choose(FOCUS, take > 0 ? [frame - take, frame] : [frame]);
  shot().commit(onMark(found, (mark) => ({ do: "pull-to", frame, take, mark, value: found.distance })));
}

// What is pointed at that is a place and no distance: in which stage, how it is called, and what it commands.
/** @type {Record<string, { stage: string; words: string; command: (at: Place) => Command }>} */
const PLACES = {
  centre: { stage: "lens", words: "Centre of the blur", command: (at) => ({ do: "put-place", path: "lens.blur.centre", ...at, frame: viewer().frame }) },
  frame: { stage: "finish", words: "Middle of the frame", command: (at) => ({ do: "put-place", path: "finish.framing.place", ...at, frame: viewer().frame }) },
  move: { stage: "finish", words: "Where the frame moves to", command: (at) => ({ do: "move-frame", ...at }) },
};
const wanted = () => PLACES[pointing().what];

export function createPointing() {
  return { what: "pull", at: /** @type {Place | null} */ (null) };
}

export const pointer = () => ({
  init() {
    window.Alpine.effect(() => this.draw());
    this.$el.addEventListener("pointermove", (/** @type {Pointed} */ event) => (pointing().at = this.place(event)));
    this.$el.addEventListener("pointerleave", () => !this.held && (pointing().at = null));
    this.$el.addEventListener("pointerdown", (/** @type {Pointed} */ event) => this.down(event));
    this.$el.addEventListener("keydown", (/** @type {Pressed} */ event) => this.key(event));
  },
  held: false, // moved by keys
  get visible() {
    return shot().stage === (wanted()?.stage ?? "pull") && !viewer().playing;
  },
  place(/** @type {Pointed} */ event) {
    const box = this.$el.getBoundingClientRect();
    const scale = shot().clip.width / box.width;
    this.held = false;
    return { x: (event.clientX - box.left) * scale, y: (event.clientY - box.top) * scale };
  },
  draw() {
    if (!this.visible) return;
    const { width, height } = shot().clip;
    const at = pointing().at ?? { x: width / 2, y: height / 2 };
    const size = 16 / viewer().scale;
    const found = survey().now && seenAt(at.x, at.y);
    const parts = [svg("rect", { class: "shape-ground", width, height })];
    const d = `M${at.x - size} ${at.y}H${at.x - size / 3}M${at.x + size / 3} ${at.y}H${at.x + size}M${at.x} ${at.y - size}V${at.y - size / 3}M${at.x} ${at.y + size / 3}V${at.y + size}`;
    const words = found ? `${metres(found.distance)}${found.subject ? `, ${found.subject.name}` : found.mark ? `, ${found.mark.name}` : ""}` : "";
    const group = svg("g", {
      class: "aim",
      tabindex: 0,
      role: "button",
      "aria-label": wanted()
        ? `${wanted().words}. Arrows move, Enter puts it here.`
        : `Point here: ${words}. Arrows move, Enter pulls focus here, m makes a mark.`,
    });
    group.append(svg("circle", { class: "aim-halo", cx: at.x, cy: at.y, r: size }), svg("circle", { cx: at.x, cy: at.y, r: size }), svg("path", { d }));
    parts.push(group);
    const focused = this.$el.contains(document.activeElement);
    this.$el.replaceChildren(...parts);
    viewer().pointed = words;
    if (focused) group.focus({ preventScroll: true });
  },
  point(/** @type {string} */ what) {
    const at = pointing().at ?? { x: shot().clip.width / 2, y: shot().clip.height / 2 };
    const place = wanted();
    if (place) {
      shot().commit(place.command({ x: Number(at.x.toFixed(1)), y: Number(at.y.toFixed(1)) }));
      pointing().what = "pull";
      return;
    }
    const found = seenAt(at.x, at.y);
    if (!found) return toast("The distances of this frame are being looked at. Point again in a moment.");
    if (what === "mark") addMark(found);
    else pullTo(found);
  },
  down(/** @type {Pointed} */ event) {
    if (event.button !== 0 || viewer().panning) return;
    event.preventDefault();
    pointing().at = this.place(event);
    this.point(pointing().what);
  },
  key(/** @type {Pressed} */ event) {
    if (event.ctrlKey || event.metaKey) return;
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const step = shot().clip.width / (event.shiftKey ? 16 : 96);
    if (by) {
      this.held = true;
      const { width, height } = shot().clip;
      const at = pointing().at ?? { x: width / 2, y: height / 2 };
      pointing().at = { x: Math.min(width - 1, Math.max(0, at.x + by[0] * step)), y: Math.min(height - 1, Math.max(0, at.y + by[1] * step)) };
    } else if (event.key === "Enter") this.point("pull");
    else if (event.key.toLowerCase() === "m") this.point("mark");
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
});
