// Several shots of a project at once: a look, people, renders; and a list of what came of it.
import { askJson } from "../design/scripts/server.js";

const LOOK_EVERY = 1500; // ms

/** @typedef {{ shot: number; title: string; state: string; words: string; share: number; message: string; render: number | null; looks: number; refused: string; told: string }} Row */

const boxes = () => /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll("[data-choose-shot]")]);

export const many = () => ({
  project: "",
  chosen: /** @type {number[]} */ ([]),
  looks: /** @type {Api["LookRow"][]} */ ([]),
  key: "",
  off: /** @type {string[]} */ ([]),
  rows: /** @type {Row[]} */ ([]),
  asked: 0,
  any: boxes().length > 0,
  async init() {
    this.project = this.$el.dataset.project;
    for (const box of boxes()) box.addEventListener("change", () => this.count());
    this.count();
    this.looks = await askJson("GET", this.url("looks"));
    this.key = this.looks[0]?.key ?? "";
  },
  url(/** @type {string} */ rest) {
    return `/api/projects/${this.project}/${rest}`;
  },
  count() {
    this.chosen = boxes()
      .filter((box) => box.checked)
      .map((box) => Number(box.value));
  },
  get none() {
    return this.chosen.length === 0;
  },
  get countWords() {
    if (this.none) return "Choose shots to work on several at once.";
    return this.chosen.length === 1 ? "1 shot is chosen." : `${this.chosen.length} shots are chosen.`;
  },
  get allWords() {
    return this.chosen.length === boxes().length ? "Choose none" : "Choose all";
  },
  all() {
    const every = this.chosen.length === boxes().length;
    for (const box of boxes()) box.checked = !every;
    this.count();
  },
  choose(/** @type {any} */ event) {
    this.key = event.target.value;
    this.off = [];
  },
  get parts() {
    const look = this.looks.find((one) => one.key === this.key);
    return (look?.parts ?? []).map((one) => ({ ...one, on: !this.off.includes(one.part) }));
  },
  flip(/** @type {any} */ event) {
    const { part } = event.target.dataset;
    this.off = event.target.checked ? this.off.filter((one) => one !== part) : [...this.off, part];
  },
  get order() {
    return { shots: this.chosen, key: this.key, parts: this.parts.filter((one) => one.on).map((one) => one.part) };
  },
  say() {
    return this.ask("looks/replaces", this.order);
  },
  putLook() {
    return this.ask("looks", this.order);
  },
  people() {
    return this.ask("people", { shots: this.chosen });
  },
  render() {
    return this.ask("renders", { shots: this.chosen });
  },
  /** @param {string} what @param {object} order */
  async ask(what, order) {
    const turn = ++this.asked;
    const isLook = what.startsWith("looks");
    const shots = [...this.chosen];
    /** @type {Api["CameOf"][]} */
    let told;
    try {
      told = await askJson("POST", this.url(what), order);
    } catch (/** @type {any} */ refusal) {
      told = shots.map((shot) => ({ shot, title: "", done: false, words: refusal.message }));
    }
    const said = new Map(told.map((one) => [one.shot, one]));
    this.rows = told.map((one) => ({ ...one, state: "", share: 0, message: "", render: null, looks: 0, refused: one.done ? "" : one.words, told: one.words }));
    // Followed until all has ended, or something else was asked for.
    for (let first = true; turn === this.asked; first = false) {
      if (!first) await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
      const now = /** @type {Api["WorkRow"][]} */ (await askJson("POST", this.url("work"), { shots }).catch(() => []));
      if (turn !== this.asked) return;
      if (now.length)
        this.rows = now.map((row) => {
          const own = said.get(row.shot);
          return { ...row, refused: own && !own.done ? own.words : "", told: isLook ? (own?.words ?? "") : "" };
        });
      if (isLook || (now.length && !now.some((row) => ["queued", "running"].includes(row.state)))) return;
    }
  },
  get shown() {
    return this.rows.map((row) => ({
      shot: row.shot,
      title: row.title,
      words: row.refused || row.told || [row.words, row.message].filter(Boolean).join(": "),
      tone: row.refused || row.state === "failed" ? "text-wrong" : "",
      running: !row.refused && ["queued", "running"].includes(row.state),
      share: row.share,
      looks: row.looks ? `${row.looks} frames to look at` : "",
      file: row.render && !row.refused ? `/renders/${row.render}/result.mp4` : "",
      open: `/shots/${row.shot}/`,
    }));
  },
});
