// Getting changes to the server, whatever comes between: a change is kept in the browser until the server has it, and sent
// again with growing pauses.
import { askJson } from "../design/scripts/server.js";
import { copy } from "./bare.js";
import { closeToast, toast } from "./toasts.js";

const PAUSES = [0, 1, 2, 4, 8, 15, 30]; // s; the first is no trouble yet: an idle connection may just have been closed
const REFUSED = [400, 409, 413, 422]; // the server looked at it and will not take it; everything else may pass
const ORPHAN = 90e3; // ms after which what another tab kept belongs to nobody: it touches it more often while it lives

function tabName() {
  let name = sessionStorage.getItem("kalyptra-tab");
  if (!name) {
    name = Math.random().toString(36).slice(2);
    sessionStorage.setItem("kalyptra-tab", name);
  }
  return name;
}

// What of a shot is not saved, in the browser's storage: it outlives the page.
function createKeep(shot) {
  const prefix = `kalyptra-unsaved:${shot}:`;
  const own = prefix + tabName();
  const read = (key) => {
    try {
      return JSON.parse(localStorage.getItem(key));
    } catch {
      return null;
    }
  };
  return {
    put(base, setup) {
      try {
        localStorage.setItem(own, JSON.stringify({ base, setup, at: Date.now() }));
      } catch {
        // The storage is full: the change is on the page alone, which warns before it is left.
      }
    },
    drop: () => localStorage.removeItem(own),
    // What this tab kept before it was loaded again, or a tab that is gone.
    take() {
      const keys = Object.keys(localStorage).filter((key) => key.startsWith(prefix));
      const key = keys.find((one) => one === own) ?? keys.find((one) => Date.now() - (read(one)?.at ?? 0) > ORPHAN);
      const found = key ? read(key) : null;
      if (key) localStorage.removeItem(key);
      return found?.setup ? found : null;
    },
  };
}

export function createSaving(state) {
  const keep = createKeep(state.id);
  let wake = () => {};
  const pause = (seconds) =>
    new Promise((resolve) => {
      wake = resolve;
      setTimeout(resolve, seconds * 1000);
    });
  window.addEventListener("online", () => wake());

  return {
    saved: state,
    conflict: null,
    changes: 0, // how often the working copy was changed
    savedChanges: 0, // how many of these the server has
    sending: null, // the promise of all being saved, while it is not
    trouble: "", // why it is not, in words
    steps: Promise.resolve(),

    get unsaved() {
      return this.changes !== this.savedChanges;
    },
    tryNow() {
      wake();
    },
    // The working copy was changed, and is to be saved.
    changed() {
      this.changes += 1;
      keep.put(this.saved.revision, this.setup);
      return this.send();
    },
    send() {
      this.sending ??= this.sendAll().finally(() => (this.sending = null));
      return this.sending;
    },
    async sendAll() {
      let tries = 0;
      while (this.unsaved && !this.conflict) {
        const sent = this.changes;
        try {
          const found = await askJson("PUT", this.url("setup"), { base: this.saved.revision, setup: copy(this.setup) });
          this.savedChanges = sent;
          this.calm();
          tries = 0;
          // What was changed while the save was under way stays on top of it.
          this.adopt(found, this.unsaved || this.drafting);
          if (this.unsaved) keep.put(found.revision, this.setup);
          else keep.drop();
        } catch (refusal) {
          if (!REFUSED.includes(refusal.status)) {
            tries += 1;
            await this.wait(tries, refusal);
          } else if (refusal.status === 409 && refusal.answer.now) this.conflict = refusal.answer;
          else this.giveUp(refusal);
        }
      }
    },
    async wait(tries, refusal) {
      const seconds = PAUSES[Math.min(tries, PAUSES.length) - 1];
      if (seconds > 0 && !this.trouble) {
        this.trouble = refusal.message;
        this.notice = toast(`The last change is not saved. It is kept on this page, and tried again. ${refusal.message}`, true);
      }
      keep.put(this.saved.revision, this.setup);
      await pause(seconds);
    },
    calm() {
      if (this.trouble) closeToast(this.notice);
      this.trouble = "";
    },
    // The server looked at the change and refuses it.
    giveUp(refusal) {
      this.calm();
      toast(refusal.message, true);
      this.discard(this.saved);
    },
    // The working copy gives way to what the server has.
    discard(found) {
      this.savedChanges = this.changes;
      keep.drop();
      this.adopt(found);
    },
    // Undo and redo, one after the other, when all changes before them are saved.
    step(direction) {
      this.steps = this.steps.then(() => this.takeStep(direction));
      return this.steps;
    },
    async takeStep(direction) {
      if (this.trouble) {
        toast("The last change is not saved yet. Go back or on when it is.", true);
        return;
      }
      await this.sending;
      if (this.unsaved) return;
      try {
        this.adopt(await askJson("POST", this.url(direction), { base: this.saved.revision }));
      } catch (refusal) {
        if (refusal.status === 409) this.conflict = refusal.answer;
        else toast(refusal.message, refusal.status !== 422);
        // Whether it was done is not known where its answer was lost.
        if (!REFUSED.includes(refusal.status)) await this.refresh().catch(() => null);
      }
    },
    // Take what the server has now, unless something here is not saved: that is put on top, or asked about.
    async refresh() {
      await this.sending;
      const found = await askJson("GET", this.url("").replace(/\/$/, ""));
      if (!this.unsaved && !this.drafting) this.adopt(found);
    },
    async resolveConflict(mine) {
      const { now } = this.conflict;
      this.conflict = null;
      if (!mine) this.discard(now);
      else {
        this.saved = now;
        await this.changed();
      }
    },
    // What had not been saved when the page was left is put back.
    recover() {
      const found = keep.take();
      if (!found || JSON.stringify(found.setup) === JSON.stringify(this.saved.setup)) return;
      const time = new Date(found.at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
      this.setup = found.setup;
      if (found.base === this.saved.revision) {
        toast(`A change of ${time} had not been saved. It was put back.`);
        this.changed();
        return;
      }
      this.changes += 1;
      keep.put(found.base, found.setup);
      this.conflict = { error: `A change of ${time} had not been saved, and this shot was changed elsewhere since. Nothing is lost: take what is in force now, or save yours on top of it.`, now: this.saved };
    },
  };
}
