// A sheet of cells: arrows and Enter move, a block from a spreadsheet can be pasted, and a price sheet saves as it goes.
export function sheet(page) {
  for (const table of page.querySelectorAll("[data-sheet]")) start(page, table);
}

function start(page, table) {
  const grid = () => [...table.querySelectorAll("tbody tr, thead tr")].map((row) => [...row.querySelectorAll("input.cell")]).filter((cells) => cells.length);
  const place = (input) => {
    const rows = grid();
    for (let y = 0; y < rows.length; y++) { const x = rows[y].indexOf(input); if (x >= 0) return { rows, x, y }; }
    return null;
  };
  const go = (input, dx, dy) => {
    const at = place(input);
    const next = at?.rows[at.y + dy]?.[Math.min(at.x + dx, (at.rows[at.y + dy]?.length ?? 1) - 1)];
    if (next) { next.focus(); next.select(); }
    return Boolean(next);
  };
  table.addEventListener("keydown", (event) => {
    const input = event.target.closest("input.cell");
    if (!input) return;
    const whole = input.selectionStart === 0 && input.selectionEnd === input.value.length;
    if (event.key === "Enter" || event.key === "ArrowDown") { if (go(input, 0, event.shiftKey ? -1 : 1)) event.preventDefault(); else if (event.key === "Enter" && table.dataset.save) { input.blur(); event.preventDefault(); } }
    if (event.key === "ArrowUp" && go(input, 0, -1)) event.preventDefault();
    if (event.key === "ArrowRight" && (whole || input.selectionStart === input.value.length) && go(input, 1, 0)) event.preventDefault();
    if (event.key === "ArrowLeft" && (whole || input.selectionEnd === 0) && go(input, -1, 0)) event.preventDefault();
    if (event.key === "Escape" && input.dataset.was !== undefined) input.value = input.dataset.was;
  });
  table.addEventListener("paste", (event) => {
    const input = event.target.closest("input.cell");
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!input || !/[\t\n]/.test(text.trimEnd())) return;
    event.preventDefault();
    const at = place(input);
    const touched = [];
    text.replace(/\r/g, "").replace(/\n$/, "").split("\n").forEach((line, y) => line.split("\t").forEach((value, x) => {
      const cell = at.rows[at.y + y]?.[at.x + x];
      if (cell) { cell.value = value.trim(); touched.push(cell); }
    }));
    for (const cell of touched) cell.dispatchEvent(new Event("input", { bubbles: true }));
    if (table.dataset.save) save(page, table, touched);
  });
  if (!table.dataset.save) return;
  table.addEventListener("change", (event) => { if (event.target.matches("input.cell")) save(page, table, [event.target]); });
  table.addEventListener("click", (event) => {
    const button = event.target.closest("[data-break]");
    if (button) ask(page, table, button);
  });
}

// A quantity break: two small fields in place of the button, saved like a cell.
function ask(page, table, button) {
  const column = table.querySelector("input.cell").dataset.column;
  const least = Object.assign(document.createElement("input"), { className: "cell tiny", placeholder: "from units", inputMode: "numeric" });
  const price = Object.assign(document.createElement("input"), { className: "cell tiny num", placeholder: "price of one", inputMode: "decimal" });
  least.setAttribute("aria-label", "From how many units"); price.setAttribute("aria-label", "Price of one from there");
  price.dataset.column = column; price.dataset.was = "";
  least.addEventListener("change", (event) => { price.dataset.least = least.value; event.stopPropagation(); });
  button.replaceWith(least, price);
  least.focus();
}

async function save(page, table, cells) {
  const say = page.querySelector("[data-sheet-say]");
  const changed = cells.filter((cell) => cell.dataset.column && cell.value !== cell.dataset.was);
  if (!changed.length) return;
  const body = new URLSearchParams();
  for (const cell of changed) {
    body.append("subject", cell.closest("tr").dataset.subject); body.append("column", cell.dataset.column);
    body.append("value", cell.value); body.append("least", cell.dataset.least ?? "1");
  }
  if (say) say.textContent = "Saving...";
  const token = JSON.parse(page.body.getAttribute("hx-headers"))["X-CSRF-Token"];
  let answer;
  try { answer = await fetch(table.dataset.save, { method: "POST", body, headers: { "X-CSRF-Token": token } }); } catch { answer = null; }
  if (!answer?.ok) { if (say) say.textContent = "Not saved: the connection broke. What you typed is still here; leave the cell again to save it."; return; }
  const verdicts = new Map((await answer.json()).items.map((item) => [item.subject, item]));
  const wrong = [];
  for (const cell of changed) {
    const verdict = verdicts.get(cell.closest("tr").dataset.subject);
    cell.classList.toggle("is-invalid", !verdict?.ok);
    if (verdict?.ok) { cell.dataset.was = cell.value; cell.classList.add("saved"); } else if (verdict) wrong.push(`${cell.ariaLabel}: ${verdict.message}`);
  }
  if (say) say.textContent = wrong.length ? `Not saved: ${wrong[0]}${wrong.length > 1 ? ` And ${wrong.length - 1} more.` : ""}` : `Saved ${changed.length} ${changed.length === 1 ? "cell" : "cells"}.`;
}
