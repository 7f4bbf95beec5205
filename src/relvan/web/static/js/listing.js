// A listing's fields: F4 in a field, or the word beside it, takes the value from the product again.
export function listing(page) {
  function revert(field) {
    if (!field || field.value === "") return;
    field.value = "";
    const kept = field.closest("[data-tree]")?.querySelector("[type=hidden]");
    if (kept) kept.value = "";
    field.setCustomValidity("");
    (kept ?? field).dispatchEvent(new Event("input", { bubbles: true }));
    field.focus();
  }
  page.addEventListener("keydown", (event) => {
    if (event.key !== "F4") return;
    const field = event.target.closest("[name^=own_], [data-tree] [role=combobox]");
    if (field) { revert(field); event.preventDefault(); }
  });
  page.addEventListener("click", (event) => {
    const button = event.target.closest("[data-revert]");
    if (button) revert(page.getElementById(button.dataset.revert));
  });
}
