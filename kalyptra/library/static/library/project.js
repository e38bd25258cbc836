// A project's page: footage is sent with a progress bar, and cards follow the job that prepares it.
import { csrfToken } from "../design/scripts/server.js";

const FOLLOW_EVERY = 700; // ms

function send(url, file, upload) {
  const request = new XMLHttpRequest();
  const body = new FormData();
  body.append("file", file);
  request.upload.addEventListener("progress", (event) => {
    upload.done = event.loaded / event.total;
    upload.words = upload.done < 1 ? `${Math.round(upload.done * 100)} %` : "looking into it";
  });
  return new Promise((resolve) => {
    request.addEventListener("loadend", () => {
      upload.running = false;
      let answer = {};
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        answer = { error: "The server gave no answer. Nothing was kept; send the file again." };
      }
      upload.error = answer.error || "";
      upload.words = answer.error ? "not taken" : "taken in";
      resolve(!answer.error);
    });
    request.open("POST", url);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.send(body);
  });
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("project", () => ({
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
    drop(event) {
      this.leave();
      this.take(event.dataTransfer.files);
    },
    chosen(event) {
      this.take(event.target.files);
      event.target.value = "";
    },
    async take(files) {
      const url = this.$root.dataset.upload;
      let taken = 0;
      for (const file of Array.from(files)) {
        this.uploads.push({ id: `${Date.now()}-${file.name}`, name: file.name, done: 0, words: "waiting", running: true, error: "" });
        const upload = this.uploads[this.uploads.length - 1];
        if (await send(url, file, upload)) taken += 1;
      }
      if (taken && !this.uploads.some((one) => one.error)) window.location.reload();
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
