// A project's page: footage is sent with a progress bar, and cards follow the job that prepares it.
import { csrfToken } from "../design/scripts/server.js";

const FOLLOW_EVERY = 700; // ms

/** @param {string} url @param {File} file */
async function roomFor(url, file) {
  const answer = await fetch(`${url}?bytes=${file.size}`, { headers: { Accept: "application/json" } }).catch(() => null);
  if (!answer) return "The server does not answer. Nothing was sent; try again in a moment.";
  return answer.ok ? "" : ((await answer.json().catch(() => ({}))).error ?? "The server refused this. Nothing was sent.");
}

/** @param {string} url @param {File} file @param {any} upload @param {any} gaps */
function send(url, file, upload, gaps) {
  const request = new XMLHttpRequest();
  const body = new FormData();
  if (gaps) body.append("gaps", gaps);
  body.append("file", file);
  request.upload.addEventListener("progress", (event) => {
    upload.done = event.loaded / event.total;
    upload.words = upload.done < 1 ? `${Math.round(upload.done * 100)} %` : "looking into it";
  });
  return new Promise((resolve) => {
    request.addEventListener("loadend", () => {
      let answer = {};
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        answer = { error: "The server gave no answer. Nothing was kept; send the file again." };
      }
      resolve(answer);
    });
    request.open("POST", url);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.send(body);
  });
}

document.addEventListener("alpine:init", () => {
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
    /** @param {any} upload @param {any} gaps */
    async sendOne(upload, gaps) {
      const { upload: url, room } = this.$root.dataset;
      Object.assign(upload, { running: true, done: 0, error: "", asks: false, words: "waiting" });
      const refused = await roomFor(room, upload.file);
      const answer = refused ? { error: refused } : await send(url, upload.file, upload, gaps);
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
