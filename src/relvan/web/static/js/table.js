// Rows: ticking by mouse or x, moving by arrow keys, opening by Enter; ticks turn the sentence bar into the deed bar.
// The rows may be swapped for others at any time, so they are looked up afresh each time.
export function table(page) {
  if (!page.querySelector("#rows, [data-rows]")) return;
  const ticks = () => [...page.querySelectorAll("[data-rows] input[name=pick]")];
  const bar = page.querySelector("[data-bar]");

  function settle() {
    const ticked = ticks().filter((box) => box.checked);
    for (const box of ticks()) box.closest("tr").classList.toggle("ticked", box.checked);
    bar?.classList.toggle("ticking", ticked.length > 0);
    const matching = page.querySelector("[data-tick-matching]");
    if (matching && !ticked.length) matching.checked = false;
    for (const place of page.querySelectorAll("[data-ticked]")) place.textContent = matching?.checked ? "all" : ticked.length;
    const all = page.querySelector("[data-tick-all]");
    if (all) all.checked = ticked.length > 0 && ticked.length === ticks().length;
    if (!ticked.length) page.querySelector("#foresee")?.replaceChildren();
  }
  function tickAll(checked) {
    for (const box of ticks()) box.checked = checked;
    settle();
  }

  page.addEventListener("change", (event) => {
    if (event.target.matches("[data-tick-all]")) tickAll(event.target.checked);
    else if (event.target.name === "pick" || event.target.matches("[data-tick-matching]")) settle();
  });
  page.addEventListener("click", (event) => {
    if (event.target.closest("[data-untick]")) tickAll(false);
    const unfold = event.target.closest("[data-unfold]");
    if (!unfold) return;
    const open = unfold.getAttribute("aria-expanded") !== "true";
    unfold.setAttribute("aria-expanded", open);
    for (const row of unfold.closest("tbody").querySelectorAll(".within")) row.classList.toggle("folded", !open);
  });
  page.addEventListener("keydown", (event) => {
    if (event.target.closest("input:not([type=checkbox]), textarea, select, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
    const rows = [...page.querySelectorAll("[data-rows] tr[tabindex]")];
    const row = page.activeElement?.closest?.("tr[tabindex]");
    const at = rows.indexOf(row);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const next = rows[at < 0 ? 0 : Math.min(rows.length - 1, Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1)))];
      if (next) { next.focus(); event.preventDefault(); }
    } else if (row && event.key === "x") {
      const box = row.querySelector("input[name=pick]");
      if (box) { box.checked = !box.checked; settle(); event.preventDefault(); }
    } else if (row && row === page.activeElement && event.key === "Enter") {
      row.querySelector("a")?.click();
    }
  });
  page.addEventListener("htmx:afterSettle", settle);
  settle();
}
