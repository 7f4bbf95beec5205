// Picking on a phone with a scanner: bin, goods, tote. It goes on without a network; what was scanned is kept
// and sent later, each once and in order.
import { forget, keep, waiting } from "./phone_queue.js";
import { soundRefused } from "./sound.js";

const AGAIN_MS = 3000;
const PATIENCE_MS = 20000; // a connection that hangs is given up, and what it carried is sent again
const MOST_SENT = 100;

const plain = (code) => code.trim().toUpperCase();
// the number of goods, also inside a longer GS1 code, whose first part it is
const padded = (code) => {
  const number = /^(?:\]C1|\]E0|\]D2|\]Q3)?(?:01|\(01\))(\d{14})/.exec(code)?.[1] ?? code;
  return /^\d{8,14}$/.test(number) ? number.padStart(14, "0") : number;
};
const same = (a, b) => plain(a) === plain(b) || padded(plain(a)) === padded(plain(b));

class Round {
  constructor(root, told) {
    this.root = root;
    this.told = told;
    this.step = "bin";
    this.units = 0;
    this.last = []; // the picks that were recorded last, which one step undoes
    this.sending = false;
    this.unanswered = []; // scans that the server has not answered yet, in their order
  }

  part(name) {
    return this.root.querySelector(`[data-${name}]`);
  }

  get current() {
    return this.told.picks.find((pick) => pick.picked === null);
  }

  // the open picks of the stop: the same goods from the same bin into the same tote, taken in one hand
  get stop() {
    const first = this.current;
    return this.told.picks.filter((pick) => pick.picked === null && pick.stop === first?.stop);
  }

  get wanted() {
    return this.stop.reduce((units, pick) => units + pick.quantity, 0);
  }

  get place() {
    return `phone-list-${this.told.id}`;
  }

  // a page that comes from the phone itself may be older than the last answer
  recall() {
    const kept = JSON.parse(localStorage.getItem(this.place) ?? "null");
    if (kept && kept.at > this.told.at) Object.assign(this.told, kept);
  }

  remember() {
    localStorage.setItem(this.place, JSON.stringify({ at: this.told.at, picks: this.told.picks, elsewhere: this.told.elsewhere }));
  }

  async start() {
    this.recall();
    this.unanswered = await waiting(this.told.id);
    this.unanswered.forEach((scan) => this.apply(scan));
    this.part("each").checked = localStorage.getItem("phone-each") === "yes";
    this.part("each").addEventListener("change", (event) => localStorage.setItem("phone-each", event.target.checked ? "yes" : "no"));
    this.part("enter").addEventListener("click", () => this.scan());
    this.part("code").addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      this.scan();
    });
    this.part("take-short").addEventListener("click", () => this.takeShort());
    this.part("undo").addEventListener("click", () => this.undo());
    addEventListener("online", () => this.send());
    setInterval(() => this.send(), AGAIN_MS);
    this.begin();
    this.showElsewhere();
    this.send();
  }

  begin() {
    const pick = this.current;
    this.units = 0;
    const here = this.told.picks.find((one) => one.id === this.last.at(-1));
    const stays = here?.picked > 0 && here.bin === pick?.bin; // the next goods lie in the bin just scanned
    this.step = pick?.bin && !stays ? "bin" : "goods";
    this.show();
  }

  count() {
    const { picks } = this.told;
    this.part("count").textContent = `${picks.filter((one) => one.picked !== null).length} of ${picks.length} picks done`;
  }

  // what short picks lack, and the warehouses that have it: nobody has to walk back to a desk
  showElsewhere() {
    const panel = this.part("elsewhere");
    const template = panel.querySelector("template");
    panel.querySelectorAll(":scope > div").forEach((row) => row.remove());
    panel.hidden = !this.told.elsewhere.length;
    for (const { pick_id: pick, sku, lacking, units, name, warehouse } of this.told.elsewhere) {
      const row = template.content.cloneNode(true);
      row.querySelector("[data-words]").textContent = `${lacking} of ${sku} ${lacking === 1 ? "was" : "were"} not found; ${name} has ${units}.`;
      const button = row.querySelector("button");
      button.textContent = `Send ${units} from ${name}`;
      button.addEventListener("click", () => this.note({ kind: "elsewhere", pick, quantity: 0, code: warehouse }));
      panel.append(row);
    }
  }

  show() {
    const pick = this.current;
    this.count();
    this.part("step").hidden = !pick;
    this.part("done").hidden = Boolean(pick);
    this.part("undo").hidden = !this.last.length;
    if (!pick) return;
    const asks = { bin: "Scan the bin", goods: `Scan the goods${this.units ? `: ${this.units} of ${this.wanted}` : ""}`, tote: "Scan the tote" };
    this.part("ask").textContent = asks[this.step];
    this.part("place").textContent = this.step === "tote" ? `Tote ${pick.tote}` : pick.bin || "ask";
    this.part("take").textContent = this.wanted;
    this.part("tote").textContent = pick.tote ? `into tote ${pick.tote}` : "";
    this.part("sku").textContent = pick.sku;
    const shipments = this.stop.length;
    this.part("title").textContent = `${pick.title}, for ${shipments > 1 ? `${shipments} shipments` : pick.shipment}`;
    this.part("picture").hidden = !pick.picture;
    if (pick.picture) this.part("picture").src = pick.picture;
    this.part("short").value = "0";
    this.part("code").value = "";
    this.part("code").focus();
  }

  refuse(words) {
    const sign = this.part("refused");
    sign.textContent = words;
    sign.hidden = false;
    soundRefused();
    this.part("code").value = "";
    this.part("code").focus();
  }

  scan() {
    const code = this.part("code").value;
    const pick = this.current;
    if (!pick || !code.trim()) return;
    this.part("refused").hidden = true;
    if (this.step === "bin") {
      if (!same(code, pick.bin)) return this.wrong(code, `“${code}” is not bin ${pick.bin}.`);
      this.step = "goods";
    } else if (this.step === "goods") {
      if (pick.bin && same(code, pick.bin)) return this.show(); // the bin scanned again does no harm
      if (!pick.codes.some((one) => same(one, code))) return this.wrong(code, `“${code}” is not ${pick.sku}. Put it back.`);
      this.code = code.trim();
      this.units = this.part("each").checked ? this.units + 1 : this.wanted;
      if (this.units >= this.wanted) {
        if (pick.tote) this.step = "tote";
        else return this.pick(this.wanted, this.code);
      }
    } else {
      const number = plain(code).replace(/^.*[-/ ]?T(?=\d+$)/, "");
      if (number !== String(pick.tote)) return this.wrong(code, `“${code}” is not tote ${pick.tote}.`);
      return this.pick(this.wanted, this.code);
    }
    this.show();
  }

  wrong(code, words) {
    this.note({ kind: "wrong", pick: this.current.id, quantity: 0, code });
    this.refuse(words);
  }

  takeShort() {
    const pick = this.current;
    const taken = Number(this.part("short").value);
    if (!pick || !Number.isInteger(taken) || taken < 0 || taken >= this.wanted) return this.refuse(`Fewer than ${this.wanted} are meant.`);
    this.part("step").querySelector("details").open = false;
    this.pick(taken, "");
  }

  // what was taken fills the picks of the stop in their order
  pick(units, code) {
    const stop = this.stop;
    this.last = stop.map((pick) => pick.id);
    let left = units;
    for (const pick of stop) {
      const quantity = Math.min(left, pick.quantity);
      left -= quantity;
      this.note({ kind: "pick", pick: pick.id, quantity, code });
    }
  }

  undo() {
    const picks = this.last.reverse();
    this.last = [];
    for (const pick of picks) this.note({ kind: "undo", pick, quantity: 0, code: "" });
  }

  async note(scan) {
    const kept = { ...scan, key: crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}`, list: this.told.id, at: new Date().toISOString() };
    this.apply(kept);
    this.unanswered.push(kept);
    if (scan.kind === "elsewhere") this.showElsewhere();
    else if (scan.kind !== "wrong") this.begin();
    kept.at_place = await keep(kept).catch(() => 0); // a phone without room for it sends it from memory
    this.send();
  }

  apply(scan) {
    const pick = this.told.picks.find((one) => one.id === scan.pick);
    if (!pick) return;
    if (scan.kind === "pick") pick.picked = scan.quantity;
    if (scan.kind === "undo") pick.picked = null;
    if (scan.kind !== "wrong") this.told.elsewhere = this.told.elsewhere.filter((one) => one.pick_id !== scan.pick);
  }

  // sends what waits until nothing waits; what no answer came to is kept, and sent again later
  async send() {
    this.unsent(this.unanswered.length);
    if (this.sending) return;
    this.sending = true;
    try {
      for (let next = this.nextToSend(); next.length; next = this.nextToSend()) await this.sendSome(next);
    } catch {
      // there is no network, or the server did not take it: the next turn tries again
    } finally {
      this.sending = false;
    }
    this.unsent(this.unanswered.length);
  }

  // a scan is sent once it is kept, and never before one that was done earlier
  nextToSend() {
    const first = this.unanswered.findIndex((one) => one.at_place === undefined);
    return this.unanswered.slice(0, first < 0 ? MOST_SENT : Math.min(first, MOST_SENT));
  }

  async sendSome(scans) {
    const told = scans.map(({ key, kind, pick, quantity, code, at }) => ({ key, kind, pick, quantity, code, at }));
    const answer = await fetch(this.told.send, {
      method: "POST",
      body: new URLSearchParams({ scans: JSON.stringify(told) }),
      headers: { "X-CSRF-Token": this.root.dataset.csrf },
      signal: AbortSignal.timeout(PATIENCE_MS),
    });
    if (!answer.ok) throw new Error(String(answer.status));
    const { taken, at, picks, elsewhere } = await answer.json();
    const answered = new Set(taken.map((one) => one.key));
    await forget(scans.filter((one) => answered.has(one.key) && one.at_place).map((one) => one.at_place));
    this.unanswered = this.unanswered.filter((one) => !answered.has(one.key));
    const said = taken.find((one) => one.said)?.said;
    this.follow({ at, picks, elsewhere });
    if (said) this.refuse(said);
  }

  follow(told) {
    const before = this.current?.id;
    Object.assign(this.told, told);
    this.remember();
    this.unanswered.forEach((scan) => this.apply(scan));
    if (this.current?.id !== before) this.begin();
    this.count();
    this.showElsewhere();
  }

  unsent(count) {
    const words = this.part("unsent");
    words.hidden = !count || navigator.onLine;
    words.textContent = `No network: ${count} ${count === 1 ? "scan is" : "scans are"} kept on this phone and sent later.`;
  }
}

async function keepOffline(root, round) {
  if (!("serviceWorker" in navigator)) return;
  await navigator.serviceWorker.register(root.dataset.worker, { scope: "/" });
  const ready = await navigator.serviceWorker.ready;
  const parts = [...document.querySelectorAll("link[rel=stylesheet], link[rel=icon], script[src]")].map((one) => one.href || one.src);
  const loaded = performance.getEntriesByType("resource").map((one) => one.name).filter((name) => name.startsWith(location.origin));
  const pictures = round.told.picks.map((pick) => pick.picture).filter(Boolean);
  const answers = new MessageChannel();
  answers.port1.onmessage = () => {
    root.dataset.kept = "yes";
  };
  const keep = [...new Set([location.href, ...parts, ...loaded.filter((name) => !name.endsWith("/scans")), ...pictures])];
  ready.active.postMessage({ keep }, [answers.port2]);
}

export function phone(page) {
  const root = page.querySelector("[data-phone]");
  if (!root) return;
  const round = new Round(root, JSON.parse(page.querySelector("#phone-list").textContent));
  round.start();
  keepOffline(root, round);
}
