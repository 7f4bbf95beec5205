// Rows: ticking by mouse or x, moving by arrow keys, opening by Enter; ticks turn the sentence bar into the deed bar.
export function table(page) {
  const body = page.querySelector("[data-rows]");
  if (!body) return;
  const ticks = () => [...body.querySelectorAll("input[name=pick]")];
  const all = page.querySelector("[data-tick-all]");
  const bar = page.querySelector("[data-bar]");

  function settle() {
    const ticked = ticks().filter((box) => box.checked);
    for (const box of ticks()) box.closest("tr").classList.toggle("ticked", box.checked);
    bar?.classList.toggle("ticking", ticked.length > 0);
    for (const place of page.querySelectorAll("[data-ticked]")) place.textContent = ticked.length;
    if (all) all.checked = ticked.length > 0 && ticked.length === ticks().length;
    if (!ticked.length) page.querySelector("#foresee")?.replaceChildren();
  }

  body.addEventListener("change", (event) => { if (event.target.name === "pick") settle(); });
  all?.addEventListener("change", () => { for (const box of ticks()) box.checked = all.checked; settle(); });
  page.querySelector("[data-untick]")?.addEventListener("click", () => { for (const box of ticks()) box.checked = false; settle(); });

  page.addEventListener("keydown", (event) => {
    if (event.target.closest("input:not([type=checkbox]), textarea, select, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
    const rows = [...body.querySelectorAll("tr[tabindex]")];
    const row = page.activeElement?.closest?.("tr[tabindex]");
    const at = rows.indexOf(row);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const next = rows[at < 0 ? 0 : Math.min(rows.length - 1, Math.max(0, at + (event.key === "ArrowDown" ? 1 : -1)))];
      if (next) { next.focus(); event.preventDefault(); }
    } else if (row && event.key === "x") {
      const box = row.querySelector("input[name=pick]");
      if (box) { box.checked = !box.checked; settle(); event.preventDefault(); }
    } else if (row === page.activeElement && row && event.key === "Enter") {
      row.querySelector("a")?.click();
    }
  });
  page.addEventListener("htmx:afterSwap", settle);
  settle();
}
