// Getting changes to the server, whatever comes between: a change is kept in the browser until the server has it, and sent
// again with growing pauses.
import { askJson } from "../design/scripts/server.js";
import { bare } from "./bare.js";
import { closeToast, toast } from "./toasts.js";
import { timeOfDay } from "./words.js";

const PAUSES = [0, 1, 2, 4, 8, 15, 30]; // s; the first is no trouble yet: an idle connection may just have been closed
const REFUSED = [400, 409, 413, 422]; // the server looked at it and will not take it; everything else may pass
const ORPHAN = 90e3; // ms after which what another tab kept belongs to nobody: it touches it more often while it lives

const newToken = () => Array.from(crypto.getRandomValues(new Uint8Array(10)), (byte) => byte.toString(16).padStart(2, "0")).join("");

function tabName() {
  let name = sessionStorage.getItem("kalyptra-tab");
  if (!name) {
    name = Math.random().toString(36).slice(2);
    sessionStorage.setItem("kalyptra-tab", name);
  }
  return name;
}

// What of a shot is not saved, in the browser's storage: it outlives the page.
function createKeep(/** @type {number} */ shot) {
  const prefix = `kalyptra-unsaved:${shot}:`;
  const own = prefix + tabName();
  /** @returns {{ changes: Change[]; at: number } | null} */
  const read = (/** @type {string} */ key) => {
    try {
      return JSON.parse(localStorage.getItem(key) ?? "null");
    } catch {
      return null;
    }
  };
  return {
    put(/** @type {Change[]} */ changes) {
      try {
        localStorage.setItem(own, JSON.stringify({ changes, at: Date.now() }));
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
      return found?.changes?.length ? found : null;
    },
  };
}

// A shot as the server has it, and the changes that are on their way there.
export class Saving {
  /** @param {ShotState} state */
  constructor(state) {
    this.id = state.id;
    /** @type {Api["ShotNow"]} */
    this.saved = state;
    /** @type {Api["Conflict"] | null} */
    this.conflict = null;
    /** @type {Change[]} */
    this.pending = []; // changes that the server does not have: each the commands of one gesture, and the revision it was given on
    /** @type {Promise<void> | null} */
    this.sending = null; // the promise of all being saved, while it is not
    this.adopted = 0; // how often what the server has was taken
    this.trouble = ""; // why it is not, in words
    this.notice = 0; // the toast that says so
    this.steps = Promise.resolve();
    this.keep = createKeep(state.id);
    /** @type {(value?: unknown) => void} */
    this.wake = () => {};
    window.addEventListener("online", () => this.wake());
  }

  url(/** @type {string} */ rest) {
    return `/api/shots/${this.id}/${rest}`;
  }

  // Take what the server has.
  adopt(/** @type {Api["ShotNow"]} */ now) {
    this.adopted += 1;
    this.saved = { ...bare(this.saved), ...now };
  }

  pause(/** @type {number} */ seconds) {
    return new Promise((resolve) => {
      this.wake = resolve;
      setTimeout(resolve, seconds * 1000);
    });
  }

  get unsaved() {
    return this.pending.length > 0;
  }

  // All commands that the server does not have.
  get waiting() {
    return bare(this.pending).flatMap((change) => change.commands);
  }

  tryNow() {
    this.wake();
  }

  // Commands were given, and are to be saved as one change.
  give(/** @type {Command[]} */ commands) {
    this.pending = [...bare(this.pending), { base: this.saved.revision, commands, token: newToken() }];
    this.keep.put(bare(this.pending));
    return this.send();
  }

  send() {
    this.sending ??= this.sendAll().finally(() => (this.sending = null));
    return this.sending;
  }

  async sendAll() {
    let tries = 0;
    while (this.unsaved && !this.conflict) {
      const [change] = bare(this.pending);
      try {
        const now = await askJson("POST", this.url("changes"), change);
        this.calm();
        tries = 0;
        this.taken(now);
      } catch (/** @type {any} */ refusal) {
        if (!REFUSED.includes(refusal.status)) {
          tries += 1;
          await this.wait(tries, refusal);
        } else if (refusal.status === 409 && refusal.answer.now) this.conflict = refusal.answer;
        else {
          // The server looked at the change and refuses it.
          this.calm();
          toast(refusal.message, true);
          this.taken(bare(this.saved));
        }
      }
    }
  }

  // The first change is dealt with; the others go on from what is in force now.
  taken(/** @type {any} */ now) {
    this.pending = bare(this.pending)
      .slice(1)
      .map((change) => ({ ...change, base: now.revision }));
    if (this.unsaved) this.keep.put(bare(this.pending));
    else this.keep.drop();
    this.adopt(now);
  }

  /** @param {number} tries @param {any} refusal */
  async wait(tries, refusal) {
    const seconds = PAUSES[Math.min(tries, PAUSES.length) - 1];
    if (seconds > 0 && !this.trouble) {
      this.trouble = refusal.message;
      this.notice = toast(`The last change is not saved. It is kept on this page, and tried again. ${refusal.message}`, true);
    }
    this.keep.put(bare(this.pending));
    await this.pause(seconds);
  }

  calm() {
    if (this.trouble) closeToast(this.notice);
    this.trouble = "";
  }

  // Undo and redo, one after the other, when all changes before them are saved.
  step(/** @type {string} */ direction) {
    this.steps = this.steps.then(() => this.takeStep(direction));
    return this.steps;
  }

  async takeStep(/** @type {string} */ direction) {
    if (this.trouble) {
      toast("The last change is not saved yet. Go back or on when it is.", true);
      return;
    }
    await this.sending;
    if (this.unsaved) return;
    try {
      this.adopt(await askJson("POST", this.url(direction), { base: this.saved.revision }));
    } catch (/** @type {any} */ refusal) {
      if (refusal.status === 409) {
        this.adopt(refusal.answer.now);
        toast("This shot was changed elsewhere meanwhile. What is in force now is shown; go back or on from there.", true);
      } else toast(refusal.message, refusal.status !== 422);
      // Whether it was done is not known where its answer was lost.
      if (!REFUSED.includes(refusal.status)) await this.refresh().catch(() => null);
    }
  }

  // Put an earlier revision in force again; it can be undone.
  async goBackTo(/** @type {number} */ revision) {
    await this.sending;
    try {
      this.adopt(await askJson("POST", this.url("back"), { base: this.saved.revision, revision }));
    } catch (/** @type {any} */ refusal) {
      toast(refusal.message, true);
      await this.refresh().catch(() => null);
    }
  }

  // Take what the server has now; what is not saved stays on top of it.
  async refresh() {
    for (;;) {
      await this.sending;
      const { adopted } = this;
      const now = await askJson("GET", this.url("").replace(/\/$/, ""));
      if (adopted === this.adopted) return this.adopt(now);
      // A change of this page was saved meanwhile, and this answer may be older than that: it is asked for anew.
    }
  }

  // Leave the change out, or carry it out on what it was given on: what came between gives way, and stays in the history.
  async resolveConflict(/** @type {boolean} */ mine) {
    const now = this.conflict?.now;
    this.conflict = null;
    if (mine) this.pending = bare(this.pending).map((change, i) => (i ? change : { ...change, over: true }));
    else this.taken(now);
    if (this.unsaved) await this.send();
  }

  // What had not been saved when the page was left is put back.
  recover() {
    const found = this.keep.take();
    if (!found) return;
    this.pending = found.changes;
    this.adopt(bare(this.saved));
    this.keep.put(found.changes);
    toast(`A change of ${timeOfDay(found.at)} had not been saved. It was put back.`);
    this.send();
  }
}
