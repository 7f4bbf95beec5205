// Counting a bin with a scanner: each code that is scanned adds one to its line; what is not known yet becomes a new line.
export function counting(page) {
  const form = page.querySelector("[data-counting]");
  if (!form) return;
  const scan = form.querySelector("[data-count-scan]");
  const say = form.querySelector("[data-count-say]");
  const rows = form.querySelector("[data-count-rows]");
  function lineOf(code) {
    const wanted = code.toLowerCase();
    for (const row of rows.querySelectorAll("[data-codes]")) if (row.dataset.codes.split(" ").includes(wanted)) return row;
    for (const row of rows.querySelectorAll("[data-count-new]")) if (row.querySelector("[name=sku]").value.toLowerCase() === wanted) return row;
    const blank = [...rows.querySelectorAll("[data-count-new]")].at(-1);
    const fresh = blank.cloneNode(true);
    blank.querySelector("[name=sku]").value = code;
    for (const field of fresh.querySelectorAll("input")) field.value = "";
    blank.after(fresh);
    return blank;
  }
  scan.addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const code = scan.value.trim();
    scan.value = "";
    if (!code) return;
    const row = lineOf(code);
    const field = row.querySelector("[name=counted]");
    field.value = Number(field.value || 0) + 1;
    say.textContent = `${row.querySelector("[name=sku]").value}: ${field.value}`;
    form.dispatchEvent(new Event("input", { bubbles: true }));
  });
}
