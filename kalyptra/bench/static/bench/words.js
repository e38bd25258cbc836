// Numbers in words: every measure with its unit.

export function metres(value) {
  if (value === null || value === undefined) return "infinity";
  if (value < 1) return `${value.toFixed(3)} m`;
  return value < 100 ? `${value.toFixed(2)} m` : `${Math.round(value)} m`;
}

export const pixels = (value) => `${value.toFixed(1)} px`;

export function duration(seconds) {
  if (seconds < 60) return `${Math.ceil(seconds)} s`;
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}
