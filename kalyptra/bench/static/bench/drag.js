// Following the pointer, and lists whose order is dragged: one way each for the whole page.
const STILL = 3; // px of the screen within which a press is no drag

// Follow the pointer until it is let go; `end` is told whether it moved.
export function dragged(surface, event, move, end, still = STILL) {
  surface.setPointerCapture(event.pointerId);
  let moved = false;
  const moves = (at) => {
    if (!moved && Math.hypot(at.clientX - event.clientX, at.clientY - event.clientY) < still) return;
    moved = true;
    move(at);
  };
  const stop = () => {
    surface.removeEventListener("pointermove", moves);
    for (const name of ["pointerup", "pointercancel"]) surface.removeEventListener(name, stop);
    end?.(moved);
  };
  surface.addEventListener("pointermove", moves);
  for (const name of ["pointerup", "pointercancel"]) surface.addEventListener(name, stop);
}

// What a list needs so that its rows are dragged, or moved by Alt with Up and Down. Rows have the ids of the part's `list`;
// `put` is told which one goes where.
export function ordered(put) {
  return {
    from: null,
    indexOf(element) {
      return this.list.findIndex((one) => one.id === element.closest("[data-id]")?.dataset.id);
    },
    grab(event) {
      this.from = this.indexOf(event.target);
      event.dataTransfer.effectAllowed = "move";
    },
    over(event) {
      event.preventDefault();
    },
    drop(event) {
      event.preventDefault();
      if (this.from !== null) this.move(this.from, this.indexOf(event.target));
      this.from = null;
    },
    keyed(event) {
      const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!by || !event.altKey) return;
      event.preventDefault();
      const from = this.indexOf(event.target);
      this.move(from, from + by);
    },
    move(from, to) {
      if (from !== to && from >= 0 && to >= 0 && to < this.list.length) put(this.list[from].id, to);
    },
  };
}
