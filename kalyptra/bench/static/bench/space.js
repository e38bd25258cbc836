// A shot that is set in space: cards, and a camera of our own.
import { bare } from "./bare.js";
import { OWN_CARD, fullPath } from "./document.js";
import { newId } from "./lines.js";
import { bring } from "./marks.js";
import { toast } from "./toasts.js";

const shot = () => window.Alpine.store("shot");

export const inSpace = () => (shot().setup.space?.enabled ? shot().setup.space : null);

// The cards in their order, the shot's own first.
export function cardsOf() {
  const space = bare(inSpace());
  if (!space) return [];
  return [
    { id: OWN_CARD, name: "The shot", enabled: true, subject: null },
    ...space.cards.map(({ id, name, enabled, subject }) => ({ id, name, enabled, subject })),
  ];
}

export const spaceParts = {
  space: () => ({
    get on() {
      return Boolean(inSpace());
    },
    flip(/** @type {Given} */ event) {
      shot().commit({ do: "set-in-space", on: event.target.checked });
    },
    // A ready move over the shot's range.
    move(/** @type {Given} */ event) {
      shot().commit({ do: "use-camera-move", move: event.currentTarget.dataset.move });
    },
    get coloured() {
      return inSpace()?.around === "colour";
    },
    get colour() {
      return inSpace()?.colour ?? "#000000";
    },
    paint(/** @type {Given} */ event) {
      shot().commit({ do: "put", path: "space.colour", value: event.target.value });
    },
  }),

  cards: () => ({
    get list() {
      return cardsOf().map((card) => ({
        ...card,
        kind: card.id === OWN_CARD ? "its own picture" : card.subject ? "cut out" : "a picture",
        state: card.enabled ? "" : "off",
        chosen: card.id === shot().card,
        row: card.id === shot().card ? "bg-hair" : "",
      }));
    },
    select(/** @type {Given} */ event) {
      shot().card = event.currentTarget.dataset.id;
    },
    get further() {
      return shot().card !== OWN_CARD;
    },
    get name() {
      return cardsOf().find(({ id }) => id === shot().card)?.name ?? "";
    },
    rename(/** @type {Given} */ event) {
      shot().commit({ do: "put", path: fullPath("%.name"), value: event.target.value.trim().slice(0, 60) });
    },
    remove() {
      const { card } = shot();
      shot().commit({ do: "remove-card", id: card });
    },
    // Subjects that have no card yet.
    get free() {
      const taken = new Set(cardsOf().map(({ subject }) => subject));
      return bare(shot().setup.subjects).filter(({ id, acts }) => acts !== "region" && !taken.has(id));
    },
    get anyFree() {
      return this.free.length > 0;
    },
    async cutOut(/** @type {Given} */ event) {
      const subject = event.target.value;
      event.target.value = "";
      if (!subject) return;
      const id = newId();
      await shot().commit({ do: "add-cut-out", id, subject });
      shot().card = id;
    },
    async read(/** @type {Given} */ event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const id = newId();
      try {
        await shot().settled();
        await bring(file, "card-file", "colour", id);
        shot().card = id;
      } catch (/** @type {any} */ refusal) {
        toast(refusal.message, true);
      }
    },
  }),
};
