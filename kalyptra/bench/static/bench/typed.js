// x-typed: the value that a field shows. While somebody types in it, it stays theirs, whatever the server answers meanwhile.
export function typed(/** @type {any} */ el, /** @type {{ expression: string }} */ { expression }, /** @type {any} */ { effect, evaluateLater, cleanup }) {
  const value = evaluateLater(expression);
  let latest = "";
  let typing = false;
  const show = () => {
    typing = false;
    el.value = latest;
  };
  const type = () => (typing = true);
  const done = () => (typing = false); // a handler of the change comes after this one, and puts the value
  el.addEventListener("input", type);
  el.addEventListener("change", done);
  el.addEventListener("blur", show);
  cleanup(() => {
    el.removeEventListener("input", type);
    el.removeEventListener("change", done);
    el.removeEventListener("blur", show);
  });
  effect(() =>
    value((/** @type {string | null} */ shown) => {
      latest = shown ?? "";
      if (!typing) el.value = latest;
    }),
  );
}
