// Keys that work everywhere: / for the sentence bar, ? for the list of keys.
export function keys(page) {
  const list = page.querySelector("#keys");
  page.addEventListener("keydown", (event) => {
    if (event.target.closest("input:not([type=checkbox]), textarea, select") || event.ctrlKey || event.metaKey || event.altKey) return;
    const words = page.querySelector("[data-words]");
    if (event.key === "/" && words) { words.focus(); words.select(); event.preventDefault(); }
    if (event.key === "?" && list) { list.showModal(); event.preventDefault(); }
  });
  page.addEventListener("click", (event) => {
    if (event.target.closest("[data-keys]")) list?.showModal();
    if (event.target === list || event.target.closest("[data-keys-close]")) list?.close();
  });
}
