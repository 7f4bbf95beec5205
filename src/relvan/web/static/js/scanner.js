// A scanner types fast and ends with Enter: on Dispatch pages its code lands in the scan field wherever the focus is.
const FAST_MS = 40;
export function scanner(page) {
  const field = page.querySelector("[data-scan]");
  if (!field) return;
  field.focus();
  let typed = "";
  let last = 0;
  page.addEventListener("keydown", (event) => {
    if (event.target === field || event.target.closest("dialog[open], input:not([type=checkbox]), textarea, select")) return;
    const now = performance.now();
    if (now - last > FAST_MS * 3) typed = "";
    last = now;
    if (event.key.length === 1 && !event.ctrlKey && !event.metaKey) typed += event.key;
    if (event.key === "Enter" && typed.length > 3) {
      field.value = typed;
      typed = "";
      event.preventDefault();
      field.form.requestSubmit();
    }
  });
}
