// Following the pointer, and lists whose order is dragged: one way each for the whole page.
const STILL = 3; // px of the screen within which a press is no drag

// Follow the pointer until it is let go; `end` is told whether it moved.
/** @param {Element} surface @param {PointerEvent} event @param {(at: PointerEvent) => void} move @param {((moved: boolean) => void) | undefined} end */
export function dragged(surface, event, move, end, still = STILL) {
  surface.setPointerCapture(event.pointerId);
  let moved = false;
  const moves = (/** @type {any} */ at) => {
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
export function ordered(/** @type {(id: string, to: number) => void} */ put) {
  return {
    /** @type {number | null} */
    from: null,
    /** @type {{ id: string }[]} */
    list: [],
    indexOf(/** @type {HTMLElement} */ element) {
      return this.list.findIndex((one) => one.id === /** @type {HTMLElement | null} */ (element.closest("[data-id]"))?.dataset.id);
    },
    grab(/** @type {Carried} */ event) {
      this.from = this.indexOf(event.target);
      if (event.dataTransfer) event.dataTransfer.effectAllowed = "move";
    },
    over(/** @type {Carried} */ event) {
      event.preventDefault();
    },
    drop(/** @type {Carried} */ event) {
      event.preventDefault();
      if (this.from !== null) this.move(this.from, this.indexOf(event.target));
      this.from = null;
    },
    keyed(/** @type {Pressed} */ event) {
      const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!by || !event.altKey) return;
      event.preventDefault();
      const from = this.indexOf(event.target);
      this.move(from, from + by);
    },
    /** @param {number} from @param {number} to */
    move(from, to) {
      if (from !== to && from >= 0 && to >= 0 && to < this.list.length) put(this.list[from].id, to);
    },
  };
}
