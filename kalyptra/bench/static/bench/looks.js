// Looks: parts of a setup under a name, taken from this shot and put on it.
import { askJson, csrfToken } from "../design/scripts/server.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");
const viewer = () => window.Alpine.store("viewer");

/** @typedef {Api["LookRow"]} LookRow */

export const lookParts = {
  looks: () => ({
    rows: /** @type {LookRow[]} */ ([]),
    key: "",
    off: /** @type {string[]} */ ([]),
    lines: /** @type {string[]} */ ([]),
    pictures: "",
    init() {
      this.pictures = this.$el.dataset.pictures;
      this.load();
    },
    url(/** @type {string} */ rest) {
      return shot().url(`looks${rest}`);
    },
    async load() {
      this.rows = await this.asked("GET", "");
    },
    /** @param {string} how @param {string} rest @param {unknown} [what] @returns {Promise<any>} */
    async asked(how, rest, what) {
      try {
        return await askJson(how, this.url(rest), what);
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
        return null;
      }
    },
    get list() {
      return this.rows.map((one) => ({
        key: one.key,
        name: one.name,
        chosen: one.key === this.key,
        picture: one.shipped ? `${this.pictures}${one.key}.webp` : "",
      }));
    },
    get row() {
      return this.rows.find((one) => one.key === this.key);
    },
    get chosen() {
      return Boolean(this.row);
    },
    get chosenName() {
      return this.row?.name ?? "";
    },
    get mine() {
      return Boolean(this.row?.mine);
    },
    get whose() {
      if (this.row?.shipped) return "ships with Kalyptra";
      return this.row?.shared ? "shared in the project" : "yours";
    },
    get file() {
      return this.url(`/${this.key}.json`);
    },
    get parts() {
      return (this.row?.parts ?? []).map((one) => ({ ...one, on: !this.off.includes(one.part) }));
    },
    get wanted() {
      return this.parts.filter((one) => one.on).map((one) => one.part);
    },
    get nothing() {
      return this.wanted.length === 0;
    },
    get startWords() {
      return this.row?.starts ? "New shots begin with it: stop" : "Begin new shots with it";
    },
    async choose(/** @type {Given} */ event) {
      const { key } = event.currentTarget.dataset;
      this.key = this.key === key ? "" : key;
      this.off = [];
      await this.say();
    },
    async flipPart(/** @type {Given} */ event) {
      const { part } = event.target.dataset;
      this.off = event.target.checked ? this.off.filter((one) => one !== part) : [...this.off, part];
      await this.say();
    },
    // What it would replace, before it does.
    async say() {
      this.lines = [];
      if (this.nothing) return;
      await shot().settled();
      const told = await this.asked("POST", `/${this.key}/replaces`, { parts: this.wanted, base: shot().saved.revision });
      this.lines = told?.lines.length ? told.lines : ["It changes nothing here."];
    },
    async put() {
      await shot().settled();
      const done = await this.asked("POST", `/${this.key}/put`, { parts: this.wanted, base: shot().saved.revision });
      if (!done) return;
      shot().adopt(done);
      toast(`${this.chosenName} was put on. Undo takes it off.`);
      await this.say();
    },
    async start() {
      const rows = await this.asked("POST", `/${this.key}/start?on=${!this.row?.starts}`);
      if (rows) this.rows = rows;
    },
    async remove() {
      const rows = await this.asked("DELETE", `/${this.key}`);
      if (!rows) return;
      this.rows = rows;
      this.key = "";
    },
    async take() {
      const name = this.$refs.name.value.trim();
      if (!name) return toast("Give the look a name first.", true);
      const boxes = /** @type {NodeListOf<HTMLInputElement>} */ (this.$root.querySelectorAll("[data-take]:checked"));
      const parts = [...boxes].map((box) => box.dataset.take);
      if (!parts.length) return toast("Choose what the look shall hold.", true);
      await shot().settled();
      const rows = await this.asked("POST", "", { name, parts, frame: viewer().frame, shared: this.$refs.shared.checked });
      if (!rows) return;
      this.rows = rows;
      this.$refs.name.value = "";
      toast(`${name} was taken from this shot.`);
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const body = new FormData();
      body.append("file", file);
      const answer = await fetch(this.url("/file"), { method: "POST", body, headers: { "X-CSRFToken": csrfToken() } });
      const told = await answer.json().catch(() => ({ error: "The server does not answer. Nothing was kept." }));
      if (answer.ok) this.rows = told;
      else toast(told.error, true);
    },
  }),
};
