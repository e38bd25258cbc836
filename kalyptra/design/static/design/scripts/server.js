// Talking to the server: JSON there and back, and errors in words.

export function csrfToken() {
  const found = document.cookie.match(/(?:^|; )csrftoken=([^;]+)/);
  return found ? decodeURIComponent(found[1]) : (document.querySelector("[name=csrfmiddlewaretoken]")?.value ?? "");
}

export class Refusal extends Error {
  constructor(status, answer) {
    super(answer.error || `The server refused this (${status}). Nothing was changed; try again.`);
    this.status = status;
    this.answer = answer;
  }
}

export function ask(method, url, body, signal) {
  return fetch(url, {
    method,
    signal,
    headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
    body: body === undefined ? undefined : JSON.stringify(body),
  }).catch((error) => {
    if (error.name === "AbortError") throw error;
    throw new Refusal(0, { error: "The server does not answer. Your work is still on this page; try again in a moment." });
  });
}

export async function askJson(method, url, body, signal) {
  const answer = await ask(method, url, body, signal);
  const found = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Refusal(answer.status, found);
  return found;
}
