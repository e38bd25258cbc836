// Making SVG by hand.
const SPACE = "http://www.w3.org/2000/svg";

export function svg(name, attributes = {}, text) {
  const element = document.createElementNS(SPACE, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
}
