// What a folded part of a sheet holds, in one line.
import { pullsOf } from "./curve.js";
import { bare, countOf, outlinesOf } from "./document.js";
import { healthOf, looksWords, work } from "./following.js";
import { sourceHealth } from "./followsource.js";
import { keyHere } from "./found.js";
import { changesIn } from "./finish.js";
import { handFrames } from "./lines.js";
import { brush } from "./marks.js";
import { metres, pixels } from "./words.js";

const shot = () => window.Alpine.store("shot");
const now = () => shot().at(window.Alpine.store("viewer").frame);
/** @param {number} count @param {string} name */
const many = (count, name) => `${count} ${name}${count === 1 ? "" : "s"}`;
const short = (/** @type {number} */ value) => Number(value.toFixed(2));
const said = (/** @type {(string | false | null | undefined)[]} */ ...words) => words.filter(Boolean).join(", ");

/** @type {Record<string, string>} */
const EDGES = { none: "as the line runs", fast: "drawn to the picture", fine: "drawn finely to the picture" };

/** @type {Record<string, string>} */
const KINDS = { lens: "as the lens makes it", gaussian: "even and soft", along: "along a direction", outwards: "outwards", around: "around" };

function characterWords(/** @type {Record<string, any>} */ character) {
  const used = Object.entries(character).filter(([, value]) => value.keys?.some((/** @type {{ value: number }} */ key) => key.value !== 0));
  return used.map(([name]) => name.replace("cats_eye", "cat's-eye").replaceAll("_", " ")).join(", ") || "an ideal lens";
}

function edge() {
  const refine = shot().subject()?.refine;
  if (!refine) return "";
  const feather = Math.max(refine.feather_in, refine.feather_out);
  return said(EDGES[refine.edge], feather > 0 && `feather ${short(feather)} px`, refine.grow !== 0 && `grown ${short(refine.grow)} px`, refine.steady > 0 && `steady ${refine.steady}`, refine.invert && "inverted"); // prettier-ignore
}

function outline() {
  const subject = shot().subject();
  const line = shot().outline();
  if (!line) return "";
  const count = outlinesOf(subject).length;
  const points = line.shape.keys[0].value.points.length;
  return said(count > 1 && `${count} outlines`, many(points, "point"), `${many(handFrames(line).length, "key")} by hand`);
}

function behind() {
  const { plate } = shot().setup;
  if (plate.source === "recovered") return `recovered at ${many(countOf(plate.patches), "frame")}`;
  return plate.source === "filled" ? "filled from around" : "from a file";
}

function follow() {
  const health = healthOf(shot().chosen, shot().line);
  if (!health?.followed) return "not followed yet";
  const count = health.looks.reduce((sum, [first, last]) => sum + last - first + 1, 0);
  return count ? `${many(count, "frame")} to look at` : "no frame needs a look";
}

/** @type {Record<string, () => string>} */
export const folded = {
  ways: () => "freehand, ellipse, corners, half, hole, file",
  follow,
  following: () => said(work().keys === "keep" ? "keys by hand stay" : "keys by hand are replaced", work().onLoss === "stop" ? "stops when hidden" : "carries on when hidden"), // prettier-ignore
  marks: () => many(keyHere()?.marks.length ?? 0, "mark"),
  people: () => (brush().carefully ? "carefully" : "quickly"),
  edge,
  outline,
  more: () => said(`${short(shot().subject()?.depth ?? 0)} m thick`, shot().subject()?.enabled === false && "not in use"),
  behind,
  setup: () => "out and in, as JSON",
  looks: () => "taken from a shot, put on others",
  stretch: () => {
    const { stretch } = shot().setup.finish;
    return stretch ? `frames ${stretch.first} to ${stretch.last}` : "all frames";
  },
  grain: () => (shot().setup.finish.grain.measured ? "measured" : "not measured yet"),
  outside: () => changesIn(shot().setup.finish.outside),
  flat: () => (shot().setup.finish.flat.strength.keys.some(({ value }) => value > 0) ? shot().setup.finish.flat.colour : "off"),
  frame: () => {
    const { aspect, scale } = shot().setup.finish.framing;
    const speed = shot().setup.finish.speed.factor;
    return said(
      aspect === "source" ? "the clip's" : aspect,
      scale.keys.length > 1 ? "moves" : scale.keys[0].value > 1 && `${Math.round(scale.keys[0].value * 100)} % large`,
      speed.keys.length > 1 ? "its speed changes" : speed.keys[0].value !== 1 && `${Math.round(speed.keys[0].value * 100)} % as fast`,
    );
  },
  whole: () => changesIn(shot().setup.finish.whole),
  body: () => `${short(shot().setup.lens.focal_length_mm)} mm on a sensor of ${short(shot().setup.lens.sensor_width_mm)} mm`,
  iris: () => said(shot().setup.lens.iris.blades ? many(shot().setup.lens.iris.blades, "blade") : "a disc", `squeeze ${short(shot().setup.lens.iris.squeeze)}`),
  lights: () => `lifted by ${short(shot().setup.lens.highlights.gain)} stops`,
  kind: () => KINDS[shot().setup.lens.blur.form],
  character: () => characterWords(shot().setup.lens.character),
  held: () => {
    const { held } = shot().setup.lens;
    const lens = now()?.lens;
    return held && lens ? said(`${metres(lens.near)} to ${metres(lens.far)}`, held.rides && "with the focus") : "no";
  },
  lens: () => (now() ? `sharp from ${metres(now()?.lens.near)} to ${metres(now()?.lens.far)}` : ""),
  sources: () => many(shot().setup.distance.sources.length, "source"),
  "follow-source": () => {
    const health = sourceHealth();
    return health ? looksWords(health.looks).toLowerCase().replace(".", "") : "not followed yet";
  },
  bend: () => {
    const source = /** @type {any} */ (shot().setup.distance.sources.find((one) => one.id === shot().source));
    return source?.curve?.length ? many(source.curve.length, "point") : "even";
  },
  joins: () => {
    const source = /** @type {any} */ (shot().setup.distance.sources.find((one) => one.id === shot().source));
    return source
      ? said(source.joins === "replaces" ? "replaces those before" : `the ${source.joins} one wins`, source.region ? "within a matte" : "everywhere")
      : "";
  },
  plan: () => said(...bare(shot().setup.subjects).map((one) => one.name).slice(0, 3)), // prettier-ignore
  map: () => `softened by ${short(shot().setup.distance.smooth)} px`,
  space: () => (shot().setup.space?.enabled ? "on cards in space" : "as it was taken"),
  move: () => {
    const { across, up, ahead } = shot().setup.move;
    return [across, up, ahead].some(({ keys }) => keys.some(({ value }) => value !== 0)) ? "the camera is moved" : "as it was taken";
  },
  distances: () => (now() ? `farthest ${metres(now()?.lens.farthest)}, ${pixels(now()?.lens.softness ?? 0)}` : ""),
  perform: () => "turn a wheel while it plays",
  reads: () => said(`at most ${short(shot().setup.focus.fastest)} 1/m a second`, `breathing ${shot().setup.focus.breathing ? "on" : "off"}`),
  files: () => said("focus table", "camera report", pullsOf(bare(shot().setup.focus.distance.keys)).length > 0 && "pulls"),
  mattes: () => "pictures, or layers with alpha",
};
