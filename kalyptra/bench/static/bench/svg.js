// Making SVG by hand.
const SPACE = "http://www.w3.org/2000/svg";

// What of a drawing has the keyboard, if it is in it.
export function focusedIn(/** @type {Element} */ drawing) {
  const focused = /** @type {SVGElement | null} */ (document.activeElement);
  return focused && drawing.contains(focused) ? focused : null;
}

/** @param {string} name @param {string} [text] */
export function svg(name, attributes = {}, text) {
  const element = document.createElementNS(SPACE, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
}
