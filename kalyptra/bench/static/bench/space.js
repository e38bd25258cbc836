// A shot that is set in space: its picture on a card, and a camera of our own.
const shot = () => window.Alpine.store("shot");

export const space = () => ({
  get on() {
    return Boolean(shot().setup.space);
  },
  flip(/** @type {Given} */ event) {
    shot().commit({ do: "set-in-space", on: event.target.checked });
  },
  // A ready move over the shot's range.
  move(/** @type {Given} */ event) {
    shot().commit({ do: "use-camera-move", move: event.currentTarget.dataset.move });
  },
  get coloured() {
    return shot().setup.space?.around === "colour";
  },
  get colour() {
    return shot().setup.space?.colour ?? "#000000";
  },
  paint(/** @type {Given} */ event) {
    shot().commit({ do: "put", path: "space.colour", value: event.target.value });
  },
});
