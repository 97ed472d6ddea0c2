// The page's behaviour. No angle is computed here: numbers go to the server, and drawings come back.
import { startOutbox } from "./outbox.js";
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
}
for (const form of document.querySelectorAll("[data-move]")) form.elements.key.value = crypto.randomUUID();
