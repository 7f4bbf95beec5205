// The command box: Ctrl+K, go anywhere, find any SKU, order or parcel.
export function command(page) {
  const box = page.querySelector("#command");
  if (!box) return;
  const input = box.querySelector("input");
  const links = () => [...box.querySelectorAll("li a")];
  let shown = ""; // the words to which what is shown is the answer
  let waits = false; // Enter was pressed before the answer to the last letter came

  function openFirst() {
    waits = shown !== input.value;
    if (!waits) links()[0]?.click();
  }
  input.addEventListener("input", () => { waits = false; });
  box.addEventListener("htmx:afterSwap", (event) => {
    shown = event.detail.requestConfig.parameters.q ?? "";
    if (waits) openFirst();
  });

  function open() { box.showModal(); input.value = ""; input.dispatchEvent(new Event("input", { bubbles: true })); input.focus(); }
  page.addEventListener("keydown", (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") { event.preventDefault(); open(); }
  });
  page.addEventListener("click", (event) => { if (event.target.closest("[data-command]")) open(); });
  box.addEventListener("click", (event) => { if (event.target === box) box.close(); });
  box.addEventListener("keydown", (event) => {
    const at = links().indexOf(page.activeElement);
    if (event.key === "ArrowDown") { (links()[at + 1] ?? links()[0])?.focus(); event.preventDefault(); }
    if (event.key === "ArrowUp") { (at > 0 ? links()[at - 1] : input).focus(); event.preventDefault(); }
    if (event.key === "Enter" && page.activeElement === input) { openFirst(); event.preventDefault(); }
  });
}
