// The pack bench: prints the labels of a parcel that was closed, and sounds when a scan was refused.
import { soundRefused } from "./sound.js";

function print(link) {
  const frame = document.createElement("iframe");
  frame.hidden = true;
  frame.src = link.href;
  frame.addEventListener("load", () => frame.contentWindow.print());
  document.body.append(frame);
}

export function bench(page) {
  if (page.querySelector("[data-wrong]")) soundRefused();
  page.querySelectorAll("[data-print]").forEach(print);
}
