// The pack bench: prints the labels of a parcel that was closed, and sounds when a scan was refused.
const LOW_HZ = 180;
const SECONDS = 0.35;

function sound() {
  const context = new AudioContext();
  const tone = context.createOscillator();
  tone.type = "square";
  tone.frequency.value = LOW_HZ;
  tone.connect(context.destination);
  tone.start();
  tone.stop(context.currentTime + SECONDS);
  navigator.vibrate?.(200);
}

function print(link) {
  const frame = document.createElement("iframe");
  frame.hidden = true;
  frame.src = link.href;
  frame.addEventListener("load", () => frame.contentWindow.print());
  document.body.append(frame);
}

export function bench(page) {
  if (page.querySelector("[data-wrong]")) sound();
  page.querySelectorAll("[data-print]").forEach(print);
}
