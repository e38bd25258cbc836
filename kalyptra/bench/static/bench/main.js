// The bench: registers what the page is made of. Each part is in a file of its own.
import { againParts, createAgain } from "./again.js";
import { bend } from "./bend.js";
import { benchParts } from "./bench.js";
import { chart } from "./chart.js";
import { compareParts, createCompare } from "./compare.js";
import { OpenShot } from "./document.js";
import { createCurve } from "./curve.js";
import { distanceParts } from "./distancesheet.js";
import { fields } from "./fields.js";
import { createWork, followParts } from "./following.js";
import { finishParts } from "./finish.js";
import { followSource } from "./followsource.js";
import { ground } from "./ground.js";
import { createJobs, jobs } from "./jobs.js";
import { createLayout, layoutParts } from "./layout.js";
import { lookParts } from "./looks.js";
import { createLines } from "./lines.js";
import { createBrush, matteParts } from "./marks.js";
import { createAdvice, notes } from "./notes.js";
import { overlay } from "./overlay.js";
import { createPen } from "./pen.js";
import { performing } from "./perform.js";
import { plan } from "./plan.js";
import { createPointing, pointer } from "./pull.js";
import { pullParts } from "./pullsheet.js";
import { nextStep, question } from "./question.js";
import { createRenders, renders } from "./renders.js";
import { row } from "./row.js";
import { sheets } from "./sheets.js";
import { createSizing, sizeParts } from "./sizing.js";
import { softness } from "./softness.js";
import { spaceParts } from "./space.js";
import { cardFrames } from "./cardframes.js";
import { spacePlan } from "./spaceplan.js";
import { createSurvey } from "./survey.js";
import { typed } from "./typed.js";
import { createViewer, viewerParts } from "./viewer.js";
import { createUnits } from "./words.js";

document.addEventListener("alpine:init", () => {
  const { Alpine } = window;
  const state = JSON.parse(document.getElementById("shot-state")?.textContent ?? "null");
  Alpine.store("toasts", { list: [], next: 1 });
  Alpine.store("shot", new OpenShot(state));
  Alpine.store("layout", createLayout());
  Alpine.store("viewer", createViewer());
  Alpine.store("again", createAgain());
  Alpine.store("advice", createAdvice());
  Alpine.store("jobs", createJobs());
  Alpine.store("compare", createCompare());
  Alpine.store("lines", createLines());
  Alpine.store("pen", createPen());
  Alpine.store("brush", createBrush());
  Alpine.store("work", createWork());
  Alpine.store("survey", createSurvey());
  Alpine.store("sizing", createSizing());
  Alpine.store("renders", createRenders());
  Alpine.store("units", createUnits());
  Alpine.store("curve", createCurve());
  Alpine.store("pointing", createPointing());
  const parts = {
    ...benchParts,
    ...fields,
    ...sheets,
    ...followParts,
    ...matteParts,
    ...viewerParts,
    ...distanceParts,
    ...pullParts,
    ...layoutParts,
    ...compareParts,
    ...againParts,
    ...finishParts,
    ...sizeParts,
    ...lookParts,
    jobs,
    notes,
    softness,
    ...spaceParts,
    cardFrames,
    spacePlan,
    question,
    nextStep,
    performing,
    bend,
    followSource,
    pointer,
    row,
    overlay,
    ground,
    plan,
    chart,
    renders,
  };
  Alpine.directive("typed", typed);
  for (const [name, part] of Object.entries(parts)) Alpine.data(name, part);
});
