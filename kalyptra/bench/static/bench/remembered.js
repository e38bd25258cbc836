// What the browser remembers for this page: values by name, over reloads.
const place = (/** @type {string} */ name) => `kalyptra-${name}`;

/** @template T @param {string} name @param {T} otherwise @returns {T} */
export function remembered(name, otherwise) {
  try {
    return JSON.parse(localStorage.getItem(place(name)) ?? "null") ?? otherwise;
  } catch {
    return otherwise;
  }
}

/** @param {string} name @param {unknown} value nothing forgets it */
export function remember(name, value) {
  try {
    if (value === null) localStorage.removeItem(place(name));
    else localStorage.setItem(place(name), JSON.stringify(value));
  } catch {
    // The storage is full: it holds until the page is left.
  }
}
