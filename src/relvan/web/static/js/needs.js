// A button that needs something ticked says so beside itself, instead of sending a form that would be refused.
export function needs(page) {
  page.addEventListener("click", (event) => {
    const button = event.target.closest("button[data-needs]");
    if (!button) return;
    const boxes = [...button.form.elements].filter((one) => one.name === button.dataset.needs);
    button.parentNode.querySelector(".needs-words")?.remove();
    if (boxes.some((box) => box.checked)) return;
    event.preventDefault();
    const words = document.createElement("span");
    words.className = "needs-words brick small";
    words.setAttribute("role", "alert");
    words.textContent = button.dataset.needsWords;
    button.after(words);
  });
}
