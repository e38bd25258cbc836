// Talking to the server: JSON there and back, and errors in words.

const PATIENCE = [0, 0.5, 1, 2, 4]; // s between tries of what changes nothing: a connection was closed, the database restarts

export function csrfToken() {
  const found = document.cookie.match(/(?:^|; )csrftoken=([^;]+)/);
  return found ? decodeURIComponent(found[1]) : (/** @type {HTMLInputElement | null} */ (document.querySelector("[name=csrfmiddlewaretoken]"))?.value ?? "");
}

export class Refusal extends Error {
  constructor(/** @type {number} */ status, /** @type {any} */ answer) {
    super(answer.error || `The server refused this (${status}). What was saved before is safe; try again.`);
    this.status = status;
    this.answer = answer;
  }
}

// `looks` says that asking changes nothing, so that it can be asked again.
/** @param {string} method @param {string} url @param {unknown} [body] @param {AbortSignal} [signal] */
export async function ask(method, url, body, signal, looks = method === "GET") {
  const headers = { "Content-Type": "application/json", "X-CSRFToken": csrfToken() };
  const request = { method, signal, headers, body: body === undefined ? undefined : JSON.stringify(body) };
  for (let tries = 0; ; tries++) {
    const last = !looks || tries === PATIENCE.length;
    try {
      const answer = await fetch(url, request);
      if (answer.status !== 503 || last) return answer;
    } catch (/** @type {any} */ error) {
      if (error.name === "AbortError") throw error;
      if (last) throw new Refusal(0, { error: "The server does not answer. Your work is still on this page; try again in a moment." });
    }
    await new Promise((resolve) => setTimeout(resolve, PATIENCE[tries] * 1000));
  }
}

/** @param {string} method @param {string} url @param {unknown} [body] @param {AbortSignal} [signal] @param {boolean} [looks] */
export async function askJson(method, url, body, signal, looks) {
  const answer = await ask(method, url, body, signal, looks);
  const found = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Refusal(answer.status, found);
  return found;
}
