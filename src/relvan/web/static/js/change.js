// The panel for changing facts of many: what can be done to a fact depends on its form.
export function change(page) {
  page.addEventListener("change", (event) => {
    const fact = event.target.closest("[data-fact]");
    const deed = event.target.closest("[data-deed]");
    const line = (fact ?? deed)?.closest(".change-line");
    if (!line) return;
    if (fact) {
      const form = fact.selectedOptions[0]?.dataset.form ?? "text";
      const choices = page.querySelector("#deeds-by-form")?.content.querySelector(`[data-form="${form}"]`);
      if (choices) line.querySelector("[data-deed]").innerHTML = choices.innerHTML;
    }
    const chosen = line.querySelector("[data-deed]").value;
    line.querySelector("[data-by]").hidden = chosen !== "replace";
    line.querySelector("[name=value]").hidden = chosen === "empty";
    line.querySelector("[name=value]").dispatchEvent(new Event("input", { bubbles: true }));
  });
}
