// The goods of a carton are arranged on its picture from above, by dragging or by keys. What is done is sent with
// the form, and the server answers with the picture as it is then.
import { pointIn } from "./drawing.js";

const PUSHES = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "back", ArrowDown: "front" };

export function carton(page) {
  const place = page.querySelector("#cartons");
  if (!place) return;
  place.addEventListener("keydown", key);
  place.addEventListener("pointerdown", take);
  place.addEventListener("change", layer);
  place.addEventListener("htmx:afterSwap", () => place.querySelector("[data-moved]")?.focus());
}

function send(unit, deed) {
  const form = document.querySelector("#arrange-form");
  const values = { which: unit.ownerSVGElement.dataset.which, number: unit.dataset.number, deed: "", x: "", y: "", ...deed };
  for (const [name, value] of Object.entries(values)) form.elements[name].value = value;
  form.elements.arrangement.value = document.querySelector("#arrangement").value;
  form.dispatchEvent(new Event("arranged"));
}

function key(event) {
  const unit = event.target.closest(".unit");
  if (!unit) return;
  const deed = PUSHES[event.key] ?? (event.key.toLowerCase() === "t" ? "turn" : "");
  if (!deed) return;
  event.preventDefault();
  send(unit, { deed });
}

function take(event) {
  const unit = event.target.closest(".unit");
  if (!unit) return;
  event.preventDefault();
  unit.focus();
  const svg = unit.ownerSVGElement;
  const start = pointIn(svg, event);
  const move = (moved) => {
    const now = pointIn(svg, moved);
    unit.setAttribute("transform", `translate(${now.x - start.x} ${now.y - start.y})`);
  };
  const drop = (dropped) => {
    removeEventListener("pointermove", move);
    const now = pointIn(svg, dropped);
    unit.removeAttribute("transform");
    if (Math.hypot(now.x - start.x, now.y - start.y) < 3) return;
    const millimetres = Number(svg.dataset.mm);
    const x = Number(unit.dataset.x) + (now.x - start.x) * millimetres;
    const y = Number(unit.dataset.y) + (now.y - start.y) * millimetres;
    send(unit, { deed: "put", x: x.toFixed(1), y: y.toFixed(1) });
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", drop, { once: true });
}

// one layer alone: those above it are taken away, those below it fade
function layer(event) {
  const choice = event.target.closest("[data-layer-choice]");
  if (!choice) return;
  const shown = choice.value === "all" ? null : Number(choice.value);
  for (const unit of choice.closest("section").querySelectorAll(".unit")) {
    const own = Number(unit.dataset.layer);
    unit.classList.toggle("gone", shown !== null && own > shown);
    unit.classList.toggle("faint", shown !== null && own < shown);
  }
}
