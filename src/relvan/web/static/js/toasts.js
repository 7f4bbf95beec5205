// Toasts: told once, gone after a while; the address forgets them, so that loading again does not repeat them.
const STAYS_MS = 12000;
export function toasts(page) {
  const here = new URL(location.href);
  if (here.searchParams.has("toast")) {
    here.searchParams.delete("toast");
    history.replaceState(null, "", here);
  }
  const place = page.querySelector("#toasts");
  if (!place) return;
  const watch = (note) => {
    let timer = setTimeout(() => note.remove(), STAYS_MS);
    note.addEventListener("mouseenter", () => clearTimeout(timer));
    note.addEventListener("focusin", () => clearTimeout(timer));
    note.addEventListener("mouseleave", () => { timer = setTimeout(() => note.remove(), STAYS_MS); });
  };
  place.querySelectorAll(".toast-note").forEach(watch);
  new MutationObserver((changes) => changes.forEach((c) => c.addedNodes.forEach((n) => { if (n.classList?.contains("toast-note")) watch(n); }))).observe(place, { childList: true });
  page.addEventListener("click", (event) => { event.target.closest("[data-toast-close]")?.closest(".toast-note").remove(); });
}
