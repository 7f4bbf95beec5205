// A family's grid: arrow keys move from cell to cell; f jumps from a variant to its family.
export function family(page) {
  page.addEventListener("keydown", (event) => {
    if (event.target.closest("input, textarea, select, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
    const jump = page.querySelector("[data-jump]");
    if (event.key === "f" && jump) { jump.click(); return; }
    const grid = page.querySelector("[data-grid]");
    if (!grid || !event.key.startsWith("Arrow")) return;
    const rows = [...grid.querySelectorAll("tbody tr")].map((row) => [...row.querySelectorAll("[data-cell]")]);
    const y = rows.findIndex((cells) => cells.includes(page.activeElement));
    const x = y < 0 ? -1 : rows[y].indexOf(page.activeElement);
    const steps = { ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] };
    const [dx, dy] = steps[event.key];
    const next = y < 0 ? rows[0]?.[0] : rows[y + dy]?.[x + dx];
    if (next) { next.focus(); event.preventDefault(); }
  });
}
