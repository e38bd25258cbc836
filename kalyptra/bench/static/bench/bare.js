// Values without the watching: looked at through it, every number of a large outline costs a call.
/** @type {<T>(value: T) => T} */
export const bare = (value) => window.Alpine.raw(value);
/** @type {<T>(value: T) => T} */
export const copy = (value) => JSON.parse(JSON.stringify(bare(value)));
// What was found over frames lies beside the setup, which names it and says how much there is; a list that is empty or new is
// the list itself.
export const countOf = (/** @type {any} */ found) => (Array.isArray(found) ? found.length : (found?.count ?? 0));
