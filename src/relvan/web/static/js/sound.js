// The low tone and the buzz that a refused scan makes.
const LOW_HZ = 180;
const SECONDS = 0.35;

export function soundRefused() {
  const context = new AudioContext();
  const tone = context.createOscillator();
  tone.type = "square";
  tone.frequency.value = LOW_HZ;
  tone.connect(context.destination);
  tone.start();
  tone.stop(context.currentTime + SECONDS);
  navigator.vibrate?.([200, 80, 200]);
}
