// Lists that are put in order by dragging or by the arrow keys, the board of orders, and the deeds of a rule.
export function order(page) {
  for (const list of page.querySelectorAll("[data-ordered]")) ordered(list);
  const board = page.querySelector("[data-board]");
  if (board) onBoard(page, board);
  for (const row of page.querySelectorAll("[data-then]")) then(row);
}

function ordered(list) {
  const changed = () => list.dispatchEvent(new Event("change", { bubbles: true }));
  if (window.Sortable) window.Sortable.create(list, { animation: 120, draggable: "li", handle: ".handle", onEnd: changed });
  list.addEventListener("keydown", (event) => {
    const item = event.target.closest("[data-item]");
    if (!item || event.target !== item) return;
    const up = event.key === "ArrowUp";
    const other = up ? item.previousElementSibling : event.key === "ArrowDown" ? item.nextElementSibling : null;
    if (!other) return;
    if (up) other.before(item); else other.after(item);
    item.focus();
    changed();
    event.preventDefault();
  });
}

function onBoard(page, board) {
  const form = page.querySelector("#moving");
  const move = (card, tray) => {
    form.elements.pick.value = card.dataset.order;
    form.elements.tray.value = tray;
    form.submit();
  };
  const columns = [...board.querySelectorAll("[data-tray]")];
  for (const column of columns) {
    if (!window.Sortable) break;
    window.Sortable.create(column, {
      group: "board",
      animation: 120,
      draggable: "li",
      onAdd: (event) => move(event.item, column.dataset.tray),
    });
  }
  board.addEventListener("keydown", (event) => {
    const card = event.target.closest("[data-order]");
    if (!card || event.target !== card) return;
    const at = columns.indexOf(card.parentElement);
    const to = event.key === "ArrowRight" ? columns[at + 1] : event.key === "ArrowLeft" ? columns[at - 1] : null;
    if (to) { move(card, to.dataset.tray); event.preventDefault(); }
    const next = event.key === "ArrowDown" ? card.nextElementSibling : event.key === "ArrowUp" ? card.previousElementSibling : null;
    if (next) { next.focus(); event.preventDefault(); }
    if (event.key === "Enter") card.querySelector("a").click();
  });
}

function then(row) {
  const deed = row.querySelector("[data-deed]");
  const settle = () => {
    for (const field of row.querySelectorAll("[data-for]")) field.hidden = !field.dataset.for.split(" ").includes(deed.value);
  };
  deed.addEventListener("change", settle);
  settle();
}

// A line that is read out is added by Enter, which must not save the whole order.
export function spoken(page) {
  page.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || !event.target.matches?.("[data-spoken]")) return;
    event.preventDefault();
    event.target.dispatchEvent(new Event("said"));
  });
}
