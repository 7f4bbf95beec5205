// Forms that must not be lost: says "not saved yet" while they differ, and warns before leaving. What is only tried and
// never saved (inside data-tried) does not count.
export function unsaved(page) {
  for (const form of page.querySelectorAll("form[data-keep]")) {
    const note = page.querySelector(`[data-unsaved="${form.id}"]`);
    let differs = form.dataset.keep === "typed";
    const settle = () => { if (note) note.hidden = !differs; };
    form.addEventListener("input", (event) => {
      if (event.target.closest("[data-tried]")) return;
      differs = true;
      settle();
    });
    form.addEventListener("submit", () => { differs = false; });
    window.addEventListener("beforeunload", (event) => { if (differs) event.preventDefault(); });
    settle();
  }
}
