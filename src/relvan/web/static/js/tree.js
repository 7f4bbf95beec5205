// Choosing from a channel's categories: typed words search them, the button or arrow down unfolds the tree; arrows move
// and fold, Enter takes, Escape leaves. The hidden field carries the key of what is chosen.
export function tree(page) {
  const WAIT_MS = 120;
  const parts = (pick) => ({ typed: pick.querySelector("[role=combobox]"), kept: pick.querySelector("input[type=hidden]"), box: pick.querySelector(".tree-box") });

  async function show(pick, words) {
    const { typed, kept, box } = parts(pick);
    const asked = (pick.asked = (pick.asked ?? 0) + 1);
    const query = new URLSearchParams({ words, at: kept.value });
    if (pick.dataset.listing) query.set("listing", pick.dataset.listing);
    const answer = await fetch(`${pick.dataset.tree}?${query}`, { headers: { "HX-Request": "true" } });
    if (!answer.ok || asked !== pick.asked) return;
    box.innerHTML = await answer.text();
    box.hidden = false;
    typed.setAttribute("aria-expanded", "true");
  }
  function close(pick) {
    const { typed, box } = parts(pick);
    pick.asked = (pick.asked ?? 0) + 1;
    box.hidden = true;
    typed.setAttribute("aria-expanded", "false");
  }
  function keep(pick, key, path) {
    const { typed, kept } = parts(pick);
    [kept.value, typed.value] = [key, path];
    typed.setCustomValidity("");
    kept.dispatchEvent(new Event("input", { bubbles: true }));
  }
  const shown = (box) => [...box.querySelectorAll("summary, button")].filter((one) => one.offsetParent);

  function typing(pick) {
    const { typed } = parts(pick);
    keep(pick, "", typed.value);
    typed.setCustomValidity(typed.value.trim() ? "Choose one of the list." : "");
    clearTimeout(pick.soon);
    pick.soon = setTimeout(() => show(pick, typed.value), WAIT_MS);
  }
  function move(pick, event) {
    const { typed, box } = parts(pick);
    const step = event.key === "ArrowDown" ? 1 : -1;
    event.preventDefault();
    if (box.hidden) { show(pick, ""); return; }
    const places = [typed, ...shown(box)];
    places[Math.max(0, Math.min(places.length - 1, places.indexOf(page.activeElement) + step))].focus();
  }
  function fold(event) {
    const branch = event.target.closest("summary")?.parentElement;
    if (branch) { branch.open = event.key === "ArrowRight"; event.preventDefault(); }
  }
  page.addEventListener("input", (event) => {
    const pick = event.target.closest("[data-tree]");
    if (pick && event.target === parts(pick).typed) typing(pick);
  });
  page.addEventListener("keydown", (event) => {
    const pick = event.target.closest?.("[data-tree]");
    if (!pick) return;
    const { typed, box } = parts(pick);
    if (event.key === "ArrowDown" || event.key === "ArrowUp") move(pick, event);
    else if (event.key === "ArrowLeft" || event.key === "ArrowRight") fold(event);
    else if (event.key === "Escape" && !box.hidden) { close(pick); typed.focus(); event.preventDefault(); }
    else if (event.key === "Enter" && event.target === typed && !box.hidden) {
      const [only, ...others] = box.querySelectorAll("[data-choose]");
      if (only && !others.length) only.click();
      event.preventDefault();
    }
  });
  page.addEventListener("click", (event) => {
    const pick = event.target.closest("[data-tree]");
    if (!pick) return;
    const { typed, box } = parts(pick);
    const chosen = event.target.closest("[data-choose]");
    if (chosen) { keep(pick, chosen.dataset.choose, chosen.dataset.path); close(pick); typed.focus(); }
    else if (event.target.closest("[data-tree-open]")) { if (box.hidden) { typed.focus(); show(pick, ""); } else close(pick); }
  });
  page.addEventListener("focusout", (event) => {
    const pick = event.target.closest("[data-tree]");
    if (pick && event.relatedTarget && !pick.contains(event.relatedTarget)) close(pick);
  });
  page.addEventListener("pointerdown", (event) => {
    for (const pick of page.querySelectorAll("[data-tree]")) if (!pick.contains(event.target)) close(pick);
  });
}
