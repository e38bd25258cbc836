// Values without the watching: looked at through it, every number of a large outline costs a call.
export const bare = (value) => window.Alpine.raw(value);
export const copy = (value) => JSON.parse(JSON.stringify(bare(value)));
