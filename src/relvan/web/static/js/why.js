// The why drawer: opens the derivation of a figure beside the page, by a click or by w on the row.
export function why(page) {
  const drawer = page.querySelector("#why");
  if (!drawer) return;
  let from = null;

  async function open(button) {
    from = button;
    const answer = await fetch(button.dataset.why, { headers: { "HX-Request": "true" } });
    if (!answer.ok) return;
    drawer.querySelector("[data-why-body]").innerHTML = await answer.text();
    drawer.hidden = false;
    drawer.focus();
  }
  function close() {
    if (drawer.hidden) return;
    drawer.hidden = true;
    from?.focus();
  }
  page.addEventListener("click", (event) => {
    const button = event.target.closest("[data-why]");
    if (button) open(button);
    if (event.target.closest("[data-why-close]")) close();
  });
  page.addEventListener("keydown", (event) => {
    if (event.key === "Escape") close();
    if (event.key !== "w" || event.ctrlKey || event.metaKey || event.target.closest("input:not([type=checkbox]), textarea, select")) return;
    const place = page.activeElement?.closest?.("tr") ?? page;
    const button = place.querySelector("[data-why]");
    if (button) { open(button); event.preventDefault(); }
  });
}
