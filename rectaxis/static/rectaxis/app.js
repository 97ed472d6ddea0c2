// The page's behaviour. No angle is computed here: numbers go to the server, and drawings come back.
import { startOutbox, timeKey } from "./outbox.js";
import { startFields } from "./fields.js";
import { startPlan } from "./plan.js";
import { startKeys } from "./keys.js";

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

// A pad that knows fractions, minutes and the sign: many tablets' own pads have none of these.
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
  startPlan(bench);
  startKeys(bench);
  document.querySelector(".rail [aria-current]")?.scrollIntoView({ block: "nearest", inline: "center" });
}
// A turn's key orders it among the readings, and a form sent twice is one turn.
document.addEventListener("submit", (event) => {
  const key = event.target.matches("[data-move]") ? event.target.elements.key : null;
  if (key && !key.value) key.value = timeKey();
});
