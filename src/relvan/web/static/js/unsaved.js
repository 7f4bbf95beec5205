// Forms that must not be lost: says "not saved yet" while they differ, and warns before leaving.
export function unsaved(page) {
  for (const form of page.querySelectorAll("form[data-keep]")) {
    const note = page.querySelector(`[data-unsaved="${form.id}"]`);
    let differs = form.dataset.keep === "typed";
    const settle = () => { if (note) note.hidden = !differs; };
    form.addEventListener("input", () => { differs = true; settle(); });
    form.addEventListener("submit", () => { differs = false; });
    window.addEventListener("beforeunload", (event) => { if (differs) event.preventDefault(); });
    settle();
  }
}
