// The page's behaviour. No angle is computed here: numbers go to the server, and drawings come back.
import "./charts.js";
import { startOutbox } from "./outbox.js";
import { timeKey } from "./outbox-rules.js";
import { startChoices, startFields } from "./fields.js";
import { startPlan } from "./plan.js";
import { startDevices, startLive } from "./live.js";
import { startKeys } from "./keys.js";
import { startOpen } from "./open.js";
import { startMarks } from "./marks.js";
import { startSignatures } from "./signature.js";
import { startPhotos } from "./photos.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("enlarge", () => ({
    times: Number(sessionStorage.getItem("rectaxis-times") || 30),
    init() {
      this.$watch("times", (times) => {
        sessionStorage.setItem("rectaxis-times", times);
        document.dispatchEvent(new CustomEvent("rx:enlarge"));
      });
    },
  }));
});

// A pad that knows fractions, minutes and the sign: many tablets' own pads have none of these. A key counts once the finger is
// off it: what stands under the finger may be another thing as soon as the next scale is in hand. The field keeps the focus.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("pad", () => ({
    open: window.matchMedia("(pointer: coarse)").matches,
    toggle() {
      this.open = !this.open;
    },
    press(event) {
      const char = event.target.dataset.char;
      const field = document.querySelector("[data-hand-input]");
      if (!char || field.disabled) return;
      if (char === "enter") {
        document.querySelector('[data-walk="on"]').click();
        return;
      }
      if (field.selectionStart === 0 && field.selectionEnd === field.value.length && char !== "sign") field.value = "";
      if (char === "sign") field.value = field.value.startsWith("-") ? field.value.slice(1) : `-${field.value}`;
      else if (char === "back") field.value = field.value.slice(0, -1);
      else field.value += char;
      field.setSelectionRange(field.value.length, field.value.length);
      field.dispatchEvent(new Event("input", { bubbles: true }));
    },
  }));
});

const bench = document.querySelector("[data-job]");
if (bench) {
  const outbox = startOutbox(bench);
  startFields(bench, outbox);
  startChoices(bench);
  startPlan(bench);
  startLive(bench);
  startKeys(bench);
  startMarks(bench);
  startSignatures(bench);
  startPhotos(bench);
  startOpen(bench);
  document.querySelector(".rail [aria-current]")?.scrollIntoView({ block: "nearest", inline: "center" });
}
// A page that nobody sees does not ask what is new; it asks when it is looked at again.
document.addEventListener("htmx:before:request", (event) => {
  if (document.hidden && event.target.matches?.("[data-feed]")) event.preventDefault();
});
document.addEventListener("visibilitychange", () => {
  if (!document.hidden) document.body.dispatchEvent(new CustomEvent("rx:looked-at"));
});
const devices = document.querySelector("[data-devices]");
if (devices && !bench) startDevices(devices);
// A turn's key orders it among the readings, and a form sent twice is one turn. Before htmx gathers what to send.
document.addEventListener("submit", (event) => {
  const key = event.target.matches("[data-move], [data-keyed]") ? event.target.elements.key : null;
  if (key && !key.value) key.value = timeKey();
}, true);
// What is chosen from a list stays chosen where the answer to what was typed before comes after the choice.
document.addEventListener("change", (event) => {
  const list = event.target.closest?.(".picks");
  if (list) list.dataset.chosen = event.target.value;
});
document.addEventListener("htmx:after:swap", () => {
  for (const list of document.querySelectorAll(".picks[data-chosen]")) {
    const chosen = [...list.querySelectorAll("input")].find((one) => one.value === list.dataset.chosen);
    if (chosen && !list.querySelector("input:checked")) chosen.checked = true;
  }
});
// Where a second press would do no harm but worry: the first one counts.
document.addEventListener("submit", (event) => {
  if (!event.target.matches("[data-once]")) return;
  if (event.target.dataset.sent) event.preventDefault();
  event.target.dataset.sent = "yes";
});
window.addEventListener("pageshow", () => { for (const form of document.querySelectorAll("[data-once]")) delete form.dataset.sent; });
document.addEventListener("keydown", (event) => {
  if (event.key !== "/" || bench || event.target.matches("input, textarea, select")) return;
  const find = document.getElementById("find");
  if (find) { event.preventDefault(); find.focus(); }
});

// What a person opened or closed stays so when the page refreshes itself around it.
const kept = new Map();
document.addEventListener("click", (event) => {
  const details = event.target.closest("summary")?.parentElement;
  if (details?.dataset.keep) kept.set(details.dataset.keep, !details.open);
});
document.addEventListener("toggle", (event) => {
  const details = event.target, wanted = kept.get(details.dataset?.keep);
  if (wanted !== undefined && details.open !== wanted) details.open = wanted;
}, true);

// A form that came back with faults begins at the first of them.
const fault = document.querySelector("main .refusal");
if (fault && !bench) (fault.closest("td, th, .question") || fault.closest("form"))?.querySelector("input:not([type=hidden]), select, textarea")?.focus();
