// Values without the watching: looked at through it, every number of a large outline costs a call.
/** @type {<T>(value: T) => T} */
export const bare = (value) => window.Alpine.raw(value);
/** @type {<T>(value: T) => T} */
export const copy = (value) => JSON.parse(JSON.stringify(bare(value)));
