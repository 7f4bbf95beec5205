// The plan of a warehouse is edited on its picture: aisles, cross aisles, start and drop are dragged or moved
// by keys. What is done changes the form beside it, and the picture is drawn anew from the form.
import { pointIn } from "./drawing.js";

export function floor(page) {
  const form = page.querySelector("#plan-form");
  const place = page.querySelector("#floor");
  if (!form || !place) return;
  const plan = new Plan(form, place);
  place.addEventListener("keydown", (event) => plan.key(event));
  place.addEventListener("pointerdown", (event) => plan.grip(event));
  place.addEventListener("htmx:afterSwap", () => plan.refocus());
  page.querySelector("[data-add-aisle]")?.addEventListener("click", () => plan.addAisle(plan.names.at(-1)));
  page.querySelector("[data-add-cross]")?.addEventListener("click", () => plan.addCross());
}

class Plan {
  constructor(form, place) {
    Object.assign(this, { form, place, last: "" });
  }

  get names() {
    return this.form.elements.names.value.replaceAll(",", " ").split(" ").filter(Boolean);
  }

  get cross() {
    return this.form.elements.cross_aisles.value.split(" ").filter(Boolean).map(Number);
  }

  // Writes the form and has the picture drawn anew; `focus` is what is held afterwards.
  change(values, focus) {
    for (const [name, value] of Object.entries(values)) this.form.elements[name].value = value;
    this.last = focus;
    this.form.dispatchEvent(new Event("plan-changed", { bubbles: true }));
    this.form.dispatchEvent(new Event("input", { bubbles: true }));
  }

  refocus() {
    if (this.last) this.place.querySelector(this.last)?.focus();
  }

  named(names, focus) {
    this.change({ names: names.join(" "), aisles: names.length }, focus);
  }

  moveAisle(name, to) {
    const names = this.names.filter((one) => one !== name);
    names.splice(Math.max(0, Math.min(names.length, to)), 0, name);
    this.named(names, `[data-aisle="${name}"]`);
  }

  addAisle(beside) {
    const names = this.names;
    const digits = /^\d+$/.test(names[0] ?? "");
    const next = (at) => (digits ? String(at + 1).padStart(names[0].length, "0") : at < 26 ? String.fromCharCode(65 + at) : `A${at}`);
    let at = 0;
    while (names.includes(next(at))) at += 1;
    names.splice(names.indexOf(beside) + 1, 0, next(at));
    this.named(names, `[data-aisle="${next(at)}"]`);
  }

  removeAisle(name) {
    const names = this.names.filter((one) => one !== name);
    if (!names.length) return;
    for (const end of ["start", "drop"]) {
      const field = this.form.elements[`${end}_aisle`];
      if (field.value.toUpperCase() === name) field.value = names[0];
    }
    this.named(names, `[data-aisle="${names[0]}"]`);
  }

  crossed(levels, focus) {
    this.change({ cross_aisles: levels.map((one) => Math.round(one * 10) / 10).join(" ") }, focus);
  }

  addCross() {
    const svg = this.place.querySelector("svg");
    const depth = (Number(svg.dataset.front) - 34) / Number(svg.dataset.metre);
    const levels = [0, ...this.cross, depth];
    const gaps = levels.slice(1).map((level, at) => level - levels[at]);
    const widest = gaps.indexOf(Math.max(...gaps));
    this.crossed(levels.slice(1, -1).toSpliced(widest, 0, levels[widest] + gaps[widest] / 2), "[data-cross]");
  }

  moveCross(at, metres) {
    const levels = this.cross;
    levels[at] = metres;
    this.crossed(levels, `[data-cross="${at}"]`);
  }

  moveEnd(end, aisle, side) {
    this.change({ [`${end}_aisle`]: aisle, [`${end}_end`]: side }, `[data-end="${end}"]`);
  }

  key(event) {
    const grip = event.target.closest(".grip");
    if (!grip) return;
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
    const rise = { ArrowUp: 1, ArrowDown: -1 }[event.key] ?? 0;
    const { aisle, cross, end } = grip.dataset;
    if (aisle !== undefined) {
      if (step) this.moveAisle(aisle, this.names.indexOf(aisle) + step);
      else if (event.key === "Insert") this.addAisle(aisle);
      else if (event.key === "Delete") this.removeAisle(aisle);
      else return;
    } else if (cross !== undefined) {
      if (rise) this.moveCross(Number(cross), this.cross[cross] + rise);
      else if (event.key === "Delete") this.crossed(this.cross.filter((_, at) => at !== Number(cross)), "[data-cross]");
      else return;
    } else {
      const names = this.names;
      const here = this.form.elements[`${end}_aisle`].value.toUpperCase() || names[0];
      const side = this.form.elements[`${end}_end`].value;
      if (step) this.moveEnd(end, names[Math.max(0, Math.min(names.length - 1, names.indexOf(here) + step))], side);
      else if (rise) this.moveEnd(end, here, rise > 0 ? "back" : "front");
      else return;
    }
    event.preventDefault();
  }

  grip(event) {
    const grip = event.target.closest(".grip");
    if (!grip) return;
    const svg = grip.ownerSVGElement;
    event.preventDefault();
    grip.focus();
    const start = pointIn(svg, event);
    const shift = (now) => grip.setAttribute("transform", `translate(${now.x - start.x} ${now.y - start.y})`);
    const move = (moved) => shift(pointIn(svg, moved));
    const drop = (dropped) => {
      removeEventListener("pointermove", move);
      const now = pointIn(svg, dropped);
      grip.removeAttribute("transform");
      if (Math.hypot(now.x - start.x, now.y - start.y) > 4) this.dropped(grip, svg, now);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", drop, { once: true });
  }

  dropped(grip, svg, now) {
    const { aisle, cross, end } = grip.dataset;
    const metres = (Number(svg.dataset.front) - now.y) / Number(svg.dataset.metre);
    const aisles = [...svg.querySelectorAll("[data-aisle]")].map((one) => ({ name: one.dataset.aisle, x: Number(one.dataset.x) }));
    if (aisle !== undefined) {
      const others = aisles.filter((one) => one.name !== aisle);
      this.moveAisle(aisle, others.filter((one) => one.x < now.x).length);
    } else if (cross !== undefined) {
      this.moveCross(Number(cross), Math.max(0.1, metres));
    } else {
      const near = aisles.reduce((best, one) => (Math.abs(one.x - now.x) < Math.abs(best.x - now.x) ? one : best));
      this.moveEnd(end, near.name, now.y < Number(svg.dataset.front) / 2 ? "back" : "front");
    }
  }
}
