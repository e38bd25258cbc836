// Short messages at the foot of the page.
const STAY = 9000; // ms

export function toast(/** @type {string} */ text, wrong = false) {
  const store = window.Alpine.store("toasts");
  const id = store.next++;
  store.list.push({ id, text, tone: wrong ? "toast-wrong" : "" });
  if (!wrong) setTimeout(() => closeToast(id), STAY);
  return id;
}

export function closeToast(/** @type {number} */ id) {
  const store = window.Alpine.store("toasts");
  store.list = store.list.filter((one) => one.id !== id);
}
