// A project's page: footage is sent with a progress bar, and cards follow the job that prepares it.
import { csrfToken } from "../design/scripts/server.js";
import { many } from "./many.js";

const FOLLOW_EVERY = 700; // ms

const CHUNK = 8 << 20; // bytes
const PAUSES = [1, 2, 4, 8, 15, 30, 30, 30, 30, 30]; // s before a chunk is sent again

/** @typedef {{ name: string; file: File; done: number; words: string; running: boolean; error: string; asks: boolean; id: string }} Upload */

// What a file is known by when its upload goes on after it was cut off: four FNV-1a hashes of its name, size and time.
function keyOf(/** @type {File} */ file) {
  const text = `${file.name}|${file.size}|${file.lastModified}`;
  return [0, 1, 2, 3]
    .map((seed) => {
      let hash = 0x811c9dc5 ^ (seed * 0x9e3779b9);
      for (const letter of text) hash = Math.imul(hash ^ (letter.codePointAt(0) ?? 0), 0x01000193);
      return (hash >>> 0).toString(16).padStart(8, "0");
    })
    .join("");
}

/** @param {string} url @param {RequestInit} [more] @returns {Promise<{ status: number; answer: any }>} */
async function ask(url, more) {
  const response = await fetch(url, { ...more, headers: { Accept: "application/json", "X-CSRFToken": csrfToken() } });
  return { status: response.status, answer: await response.json().catch(() => ({})) };
}

// The same again, with pauses, as long as the connection or the server is away and says nothing.
/** @param {Upload} upload @param {() => Promise<{ status: number; answer: any }>} attempt */
async function patiently(upload, attempt) {
  for (const pause of PAUSES) {
    const found = await attempt().catch(() => null);
    if (found && (found.status < 500 || found.answer.error)) return found;
    upload.words = "the connection is lost, trying again";
    await new Promise((resolve) => {
      window.addEventListener("online", resolve, { once: true });
      setTimeout(resolve, pause * 1000);
    });
  }
  return { status: 0, answer: { error: "The server does not answer. What was sent is kept for a day: choose the file again, and it goes on there." } };
}

// Send a file chunk by chunk, from where an earlier try ended; what went wrong, in words.
/** @param {string} url @param {Upload} upload */
async function sendChunks(url, upload) {
  const { file } = upload;
  let { status, answer } = await patiently(upload, () => ask(url));
  while (status === 200 && answer.offset < file.size) {
    const offset = answer.offset;
    upload.done = offset / file.size;
    upload.words = `${Math.floor(upload.done * 100)} %`;
    const chunk = file.slice(offset, offset + CHUNK);
    ({ status, answer } = await patiently(upload, () => ask(`${url}?offset=${offset}`, { method: "PUT", body: chunk })));
    if (status === 409) status = 200; // it goes on where the server says
  }
  return status === 200 ? "" : answer.error || "The server refused this. Nothing was kept.";
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("many", many);
  window.Alpine.data("project", () => ({
    /** @type {any[]} */
    uploads: [],
    over: "",
    init() {
      this.follow();
    },
    enter() {
      this.over = "bg-sheet";
    },
    leave() {
      this.over = "";
    },
    drop(/** @type {any} */ event) {
      this.leave();
      this.take(event.dataTransfer.files);
    },
    chosen(/** @type {any} */ event) {
      this.take(event.target.files);
      event.target.value = "";
    },
    async take(/** @type {FileList | File[]} */ files) {
      let taken = 0;
      for (const file of Array.from(files)) {
        this.uploads.push({ id: `${Date.now()}-${file.name}`, name: file.name, file, done: 0, words: "waiting", running: true, error: "", asks: false });
        if (await this.sendOne(this.uploads[this.uploads.length - 1])) taken += 1;
      }
      this.show(taken);
    },
    /** @param {any} upload @param {string} [gaps] */
    async sendOne(upload, gaps) {
      const { upload: url, chunks } = this.$root.dataset;
      const { file } = upload;
      Object.assign(upload, { running: true, done: 0, error: "", asks: false, words: "waiting" });
      const key = keyOf(file);
      const refused = await sendChunks(`${chunks}${key}/${file.size}/`, upload);
      Object.assign(upload, refused ? {} : { done: 1, words: "looking into it" });
      const body = new FormData();
      for (const [name, value] of Object.entries({ key, size: String(file.size), name: file.name, gaps: gaps ?? "" })) body.append(name, value);
      const answer = refused ? { error: refused } : (await patiently(upload, () => ask(url, { method: "POST", body }))).answer;
      Object.assign(upload, { running: false, error: answer.error ?? "", asks: answer.ask === "gaps", words: answer.error ? "not taken" : "taken in" });
      return !answer.error;
    },
    async takeShortened(/** @type {any} */ event) {
      const upload = this.uploads.find((/** @type {{ id: string }} */ one) => one.id === event.target.dataset.id);
      this.show((await this.sendOne(upload, "shorten")) ? 1 : 0);
    },
    show(/** @type {any} */ taken) {
      if (taken && !this.uploads.some((/** @type {{ error: string }} */ one) => one.error)) window.location.reload();
      else if (taken) this.offerReload();
    },
    offerReload() {
      this.uploads.push({ id: "reload", name: "Reload the page to see what was taken in.", done: 1, words: "", running: false, error: "" });
    },
    async follow() {
      const waiting = () => document.querySelector("[data-shot] progress");
      while (waiting()) {
        await new Promise((resolve) => setTimeout(resolve, FOLLOW_EVERY));
        const answer = await fetch(this.$root.dataset.preparing);
        if (!answer.ok) continue;
        const { shots } = await answer.json();
        for (const shot of shots) {
          /** @type {HTMLProgressElement | null} */
          const bar = document.querySelector(`[data-shot="${shot.id}"] progress`);
          if (!bar) continue;
          bar.value = shot.done;
          if (shot.state !== "preparing") {
            window.location.reload();
            return;
          }
        }
      }
    },
  }));
});
