// What the scripts of the page find at hand: Alpine with its stores, and what Alpine gives every part.
import type { createBrush } from "../../kalyptra/bench/static/bench/marks.js";
import type { timeAt } from "../../kalyptra/bench/static/bench/chart.js";
import type { createCurve } from "../../kalyptra/bench/static/bench/curve.js";
import type { createAdvice } from "../../kalyptra/bench/static/bench/notes.js";
import type { createJobs } from "../../kalyptra/bench/static/bench/jobs.js";
import type { createAgain } from "../../kalyptra/bench/static/bench/again.js";
import type { createCompare } from "../../kalyptra/bench/static/bench/compare.js";
import type { createLayout } from "../../kalyptra/bench/static/bench/layout.js";
import type { createLines } from "../../kalyptra/bench/static/bench/lines.js";
import type { createPen } from "../../kalyptra/bench/static/bench/pen.js";
import type { createPointing } from "../../kalyptra/bench/static/bench/pull.js";
import type { OpenShot } from "../../kalyptra/bench/static/bench/document.js";
import type { createRenders } from "../../kalyptra/bench/static/bench/renders.js";
import type { createSizing } from "../../kalyptra/bench/static/bench/sizing.js";
import type { createSurvey } from "../../kalyptra/bench/static/bench/survey.js";
import type { createUnits } from "../../kalyptra/bench/static/bench/words.js";
import type { createViewer } from "../../kalyptra/bench/static/bench/viewer.js";
import type { createWork } from "../../kalyptra/bench/static/bench/following.js";
import type { components } from "./api";

declare global {
  /** What the API answers and takes, by name: `Api["ShotNow"]`. */
  type Api = components["schemas"];

  /** A change of the setup, as core/edit has it. */
  type Command = { do: string; [more: string]: any };
  /** Work over frames that is asked for. */
  type Order = { what: string; [more: string]: any };
  /** Px of the source. */
  type Place = { x: number; y: number };
  type Box = Place & { width: number; height: number };
  /** Dioptres. */
  type Span = { low: number; high: number };
  type Key = { frame: number; value: any; ease?: any; mark?: string | null };
  type SplinePoint = { id: number; x: number; y: number; bx: number; by: number; ax: number; ay: number; fin: number; fout: number; smooth: boolean };
  /** Commands that the server does not have yet, and the revision that they were given on. */
  type Change = { base: number; commands: Command[]; token: string };

  /** A map of the plane: nine numbers, row by row. */
  type Matrix = number[];
  type Pair = [number, number];
  type Stepped = (grab: string, by: Pair) => Promise<void>;
  type PointRow = [number, number, number, number, number, number, number, number, number, boolean];
  /** A place along a spline: the way outwards, and the feathers there. */
  type Along = Place & { nx: number; ny: number; u: number; i: number; fin: number; fout: number };
  type Keyed = { keys: Key[] };
  type Mark = Api["Mark"];
  /** A source of distance: each kind has some of these. */
  type Source = {
    id: string;
    kind: string;
    pins: { place: Keyed; distance: Keyed }[];
    corners: Keyed[];
    stops: { at: Keyed; distance: Keyed }[];
    [more: string]: any;
  };
  /** What a source is dragged by; `distance` is where its distance lies, if it has one. */
  type Handle = { id: string; at: Pair; words: string; move: (to: Pair) => Command; distance?: string; end?: boolean; stop?: number };
  /** How time lies across a drawing. */
  type TimeScale = ReturnType<typeof timeAt>;
  /** A subject at a frame. */
  type Spot = { subject: string; frame: number };
  /** Where drawing began, and how the new outline joins the others; a new subject without that. */
  type Begun = { subject: string; frame: number; joins: string | null };
  type FollowState = Api["FollowState"];
  type Note = Api["Note"];
  type ShotState = Api["ShotState"];
  /** What a pointer is followed on. */
  type Surface = { track: (event: PointerEvent, move: (to: Place, at: PointerEvent) => void, end?: (moved: boolean) => void) => void };

  /** Events, whose target is an element that the part put there. */
  type Of = { target: any; currentTarget: any };
  type Given = Event & Of;
  type Pressed = KeyboardEvent & Of;
  type Pointed = PointerEvent & Of;
  type Rolled = WheelEvent & Of;
  type Carried = DragEvent & Of;

  interface Toast {
    id: number;
    text: string;
    tone: string;
  }

  interface Stores {
    shot: OpenShot;
    advice: ReturnType<typeof createAdvice>;
    jobs: ReturnType<typeof createJobs>;
    again: ReturnType<typeof createAgain>;
    compare: ReturnType<typeof createCompare>;
    layout: ReturnType<typeof createLayout>;
    viewer: ReturnType<typeof createViewer>;
    lines: ReturnType<typeof createLines>;
    pen: ReturnType<typeof createPen>;
    brush: ReturnType<typeof createBrush>;
    work: ReturnType<typeof createWork>;
    sizing: ReturnType<typeof createSizing>;
    survey: ReturnType<typeof createSurvey>;
    renders: ReturnType<typeof createRenders>;
    units: ReturnType<typeof createUnits>;
    curve: ReturnType<typeof createCurve>;
    pointing: ReturnType<typeof createPointing>;
    toasts: { list: Toast[]; next: number };
  }

  interface Window {
    Alpine: {
      store<K extends keyof Stores>(name: K, value?: object): Stores[K];
      data(name: string, part: () => ThisType<any>): void;
      directive(name: string, handler: Function): void;
      effect(run: () => unknown): void;
      raw<T>(value: T): T;
    };
  }

  /** Alpine's own names in a part. They are there on no other object. */
  interface Object {
    readonly $el: any;
    readonly $refs: Record<string, any>;
    readonly $root: any;
    readonly $nextTick: (run: () => unknown) => void;
    readonly $watch: (name: string, run: (value: any) => unknown) => void;
  }
}
