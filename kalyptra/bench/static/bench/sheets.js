// What the stages' sheets show besides their fields.
import { metres, pixels } from "./words.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");
const now = () => shot().at(viewer().frame);

function newId() {
  return Array.from(crypto.getRandomValues(new Uint8Array(4)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

function addShape(form) {
  const { width, height } = shot().clip;
  const side = Math.min(width, height) * 0.5;
  const count = shot().setup.subjects.length;
  const id = newId();
  const placement = { x: width / 2, y: height / 2, width: side * 0.8, height: side, turn: 0 };
  const hold = (value) => ({ keys: [{ frame: shot().setup.footage.first, value, ease: "eased" }] });
  const focus = now()?.lens.focus ?? 2;
  shot().chosen = id;
  shot().commit((setup) => {
    setup.subjects.push({
      id,
      name: `Subject ${count + 1}`,
      ink: count % 4,
      enabled: true,
      acts: "cut-out",
      matte: { kind: "shape", form, corner: 0.35, placement: hold(placement) },
      refine: { grow: 0, feather_in: 4, feather_out: 4, invert: false },
      distance: hold(focus),
    });
  });
}

export const sheets = {
  clipFacts: () => ({
    get rows() {
      const { clip } = shot();
      return [
        { name: "Picture", value: `${clip.width} x ${clip.height} px` },
        { name: "Length", value: `${clip.frames} frames, ${clip.seconds.toFixed(2)} s` },
        { name: "Rate", value: `${clip.rate_text} frames/s` },
        { name: "Codec", value: `${clip.codec}, ${clip.bits} bit` },
        { name: "Sound", value: clip.sound ?? "none" },
      ];
    },
    get notes() {
      return shot().clip.notes;
    },
    get rangeWords() {
      const { first, last } = shot().setup.footage;
      return `${last - first + 1} frames, ${shot().clip.timecodes[first]} to ${shot().clip.timecodes[last]}`;
    },
  }),

  subjects: () => ({
    get none() {
      return shot().setup.subjects.length === 0;
    },
    get some() {
      return !this.none;
    },
    get chosen() {
      return Boolean(shot().subject());
    },
    get name() {
      return shot().subject()?.name ?? "";
    },
    get isRectangle() {
      return shot().subject()?.matte.form === "rounded-rectangle";
    },
    get keyWords() {
      const keys = shot().subject()?.matte.placement.keys ?? [];
      if (keys.length < 2) return "The shape holds still. Key it at two frames or more and it moves between them.";
      return `Keys at frames ${keys.map((key) => key.frame).join(", ")}.`;
    },
    get list() {
      const at = now();
      return shot().setup.subjects.map((one) => ({
        id: one.id,
        name: one.name,
        inkClass: `ribbon-${one.ink} ribbon`,
        acts: one.enabled ? one.acts : "off",
        metres: metres(at?.subjects[one.id]?.distance ?? one.distance.keys[0].value),
        chosen: one.id === shot().chosen,
        row: one.id === shot().chosen ? "bg-hair" : "",
      }));
    },
    select(event) {
      shot().chosen = event.currentTarget.dataset.id;
      viewer().subjectChanged();
    },
    addEllipse() {
      addShape("ellipse");
    },
    addRectangle() {
      addShape("rounded-rectangle");
    },
    rename(event) {
      const name = event.target.value.trim().slice(0, 60);
      if (!name) {
        event.target.value = this.name;
        return;
      }
      const id = shot().chosen;
      shot().commit((setup) => (setup.subjects.find((one) => one.id === id).name = name));
    },
    remove() {
      const id = shot().chosen;
      shot().commit((setup) => (setup.subjects = setup.subjects.filter((one) => one.id !== id)));
    },
  }),

  distances: () => ({
    get rows() {
      const at = now();
      if (!at) return [];
      const rows = [{ id: "backdrop", name: "Backdrop", metres: metres(at.lens.backdrop), blur: pixels(at.lens.softness) }];
      for (const one of shot().setup.subjects) {
        const read = at.subjects[one.id];
        if (read) rows.push({ id: one.id, name: one.name, metres: metres(read.distance), blur: pixels(read.blur) });
      }
      return rows;
    },
  }),

  sensorSizes: () => ({
    get chosen() {
      const width = String(shot().setup.lens.sensor_width_mm);
      return Array.from(this.$root.querySelectorAll("option"), (one) => one.value).includes(width) ? width : "";
    },
    choose(event) {
      const width = Number(event.target.value);
      if (width) shot().commit((setup) => (setup.lens.sensor_width_mm = width));
    },
  }),

  irisPicture: () => ({
    get path() {
      const points = shot().reading?.iris ?? [];
      return points.length ? `M${points.map(([x, y]) => `${x.toFixed(3)} ${y.toFixed(3)}`).join("L")}Z` : "";
    },
    get words() {
      const { blades } = shot().setup.lens.iris;
      return blades === 0 ? "0 blades: a disc." : `${blades} blades.`;
    },
  }),

  heldRange: () => ({
    get on() {
      return Boolean(shot().setup.lens.held);
    },
    flip(event) {
      const { near, far } = now()?.lens ?? { near: 1, far: 3 };
      const ends = { near: Number(near.toFixed(2)), far: Number((far ?? 100).toFixed(2)), roll_off: 0.2 };
      const on = event.target.checked;
      shot().commit((setup) => (setup.lens.held = on ? ends : null));
    },
  }),

  opening: () => ({
    get byNumber() {
      return shot().setup.lens.aperture === "f-number";
    },
    get bySoftness() {
      return !this.byNumber;
    },
    get otherWords() {
      const at = now();
      if (!at) return "";
      return this.byNumber
        ? `The backdrop at ${metres(at.lens.backdrop)} opens to discs of ${pixels(at.lens.softness)}.`
        : `That is f/${at.lens.f_number.toFixed(2)} with this lens and focus.`;
    },
    get rows() {
      const at = now();
      if (!at) return [];
      return [
        { name: "f-number", value: `f/${at.lens.f_number.toFixed(2)}` },
        { name: "Backdrop softness", value: pixels(at.lens.softness) },
        { name: "Near limit", value: metres(at.lens.near) },
        { name: "Far limit", value: metres(at.lens.far) },
        { name: "Hyperfocal distance", value: metres(at.lens.hyperfocal) },
      ];
    },
  }),
};
