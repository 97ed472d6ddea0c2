// The second screen: one thing at a time, as large as it goes. It says what the server says.
import { ARROWS } from "./guide.js";

const box = document.querySelector("[data-sign]");
const part = (name) => box.querySelector(`[data-${name}]`);
const MOST_SHOWN = 2;
const QUIET_MS = 4000;
const ORDER = ["outside", "undecided", "inside"];
const strips = new Map();
let heardAt = 0;
let guidedAt = Number.NEGATIVE_INFINITY;

function guided({ way, by, share, text }) {
  box.dataset.way = way;
  part("strips").hidden = true;
  part("arrow").hidden = false;
  part("by").hidden = false;
  part("bar").hidden = !by;
  part("arrow").textContent = ARROWS[way];
  part("by").textContent = by ? `${by.toFixed(by < 20 ? 1 : 0)}\u00b0` : "";
  part("bar").value = share;
  say(text);
}

// While setting: what is furthest from right, and no more than fits.
function angles() {
  box.dataset.way = "";
  for (const name of ["arrow", "by", "bar"]) part(name).hidden = true;
  const worst = [...strips.values()].sort((one, other) => ORDER.indexOf(one.verdict) - ORDER.indexOf(other.verdict)).slice(0, MOST_SHOWN);
  part("strips").hidden = false;
  part("strips").replaceChildren(...worst.flatMap(({ label, text, word }) => {
    const title = Object.assign(document.createElement("dt"), { textContent: label });
    const value = Object.assign(document.createElement("dd"), { textContent: text });
    value.append(Object.assign(document.createElement("small"), { textContent: word }));
    return [title, value];
  }));
  say("");
}

function say(text) {
  if (part("text").textContent !== text) part("text").textContent = text;
}

const source = new EventSource(box.dataset.sign);
source.addEventListener("message", (event) => {
  const message = JSON.parse(event.data);
  if (message.guide) {
    guidedAt = performance.now();
    guided(message.guide);
  }
  for (const [path, [, , , verdict, text, word, , label, group]] of Object.entries(message.strips || {})) {
    strips.set(path, { verdict, text, word, label: `${group}: ${label}` });
  }
  // While wheels are rolled or steered the angles are told too; how to go on is what the person at the wheel waits for.
  if (message.strips && performance.now() - guidedAt > QUIET_MS) angles();
  if (message.guide || message.strips) heardAt = performance.now();
});
source.addEventListener("error", () => { box.dataset.way = ""; say("No connection. Wait."); });
setInterval(() => {
  if (!heardAt || performance.now() - heardAt < QUIET_MS) return;
  heardAt = 0;
  box.dataset.way = "";
  for (const name of ["arrow", "by", "bar", "strips"]) part(name).hidden = true;
  say("Nothing is told now. Look at the first screen.");
}, 1000);
