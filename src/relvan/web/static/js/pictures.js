// Pictures of a product are put in order by dragging or by the arrow keys; the order is saved by the button.
export function pictures(page) {
  const place = page.querySelector("[data-sortable]");
  if (!place) return;
  const save = page.querySelector("[data-arrange-save]");
  const changed = () => { if (save) save.hidden = false; };
  if (window.Sortable) window.Sortable.create(place, { animation: 120, draggable: "figure", onEnd: changed });
  place.addEventListener("change", changed);
  place.addEventListener("keydown", (event) => {
    const figure = event.target.closest("[data-picture]");
    if (!figure || event.target !== figure) return;
    const other = event.key === "ArrowLeft" ? figure.previousElementSibling : event.key === "ArrowRight" ? figure.nextElementSibling : null;
    if (!other) return;
    if (event.key === "ArrowLeft") other.before(figure); else other.after(figure);
    figure.focus();
    changed();
    event.preventDefault();
  });
}
