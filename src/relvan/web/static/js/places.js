// Puts a place for a value where the cursor stands in a text.
export function places(page) {
  page.addEventListener("click", (event) => {
    const button = event.target.closest("[data-place-into]");
    if (!button) return;
    const field = document.getElementById(button.dataset.placeInto);
    field.setRangeText(button.dataset.text, field.selectionStart, field.selectionEnd, "end");
    field.focus();
    field.dispatchEvent(new Event("placed", { bubbles: true }));
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
}
