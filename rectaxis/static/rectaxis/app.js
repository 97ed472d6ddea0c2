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
