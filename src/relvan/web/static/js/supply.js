// The warehouses that feed a channel are put in order by dragging or by the arrow keys; those below the line do not feed it.
export function supply(page) {
  const list = page.querySelector("[data-supply]");
  if (!list) return;
  function settle() {
    const line = list.querySelector("[data-supply-line]");
    for (const item of list.querySelectorAll("[data-warehouse]")) {
      const feeds = Boolean(item.compareDocumentPosition(line) & Node.DOCUMENT_POSITION_FOLLOWING);
      item.classList.toggle("feeds", feeds);
      item.querySelector("input").disabled = !feeds;
    }
    list.dispatchEvent(new Event("change", { bubbles: true }));
    list.dispatchEvent(new Event("input", { bubbles: true }));
  }
  if (window.Sortable) window.Sortable.create(list, { animation: 120, draggable: "li", filter: "[data-supply-line]", onEnd: settle });
  list.addEventListener("keydown", (event) => {
    const item = event.target.closest("[data-warehouse]");
    if (!item || event.target !== item) return;
    const other = event.key === "ArrowUp" ? item.previousElementSibling : event.key === "ArrowDown" ? item.nextElementSibling : null;
    if (!other) return;
    if (event.key === "ArrowUp") other.before(item); else other.after(item);
    item.focus();
    settle();
    event.preventDefault();
  });
}
