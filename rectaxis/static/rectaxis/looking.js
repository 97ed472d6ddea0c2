// While a vehicle is set the cameras may look all the time: this page says every few seconds that it wants that, as long as somebody
// sees it. What they see comes as everything else that is live; on the record is only what is taken.

const AGAIN_MS = 2000;
const ON = "rectaxis-look-on";

export function startLooking(bench) {
  const box = bench.querySelector("[data-look]");
  if (!box) return;
  const on = box.querySelector("[data-look-on]");
  const headers = { "X-CSRFToken": document.querySelector("meta[name=csrf-token]").content };
  on.checked = sessionStorage.getItem(ON) === "yes";

  function ask() {
    if (!on.checked || document.hidden) return;
    // One that is not answered is asked again: nothing hangs on it.
    fetch(box.dataset.look, { method: "POST", headers }).catch(() => {});
  }
  on.addEventListener("change", () => {
    sessionStorage.setItem(ON, on.checked ? "yes" : "no");
    ask();
  });
  // Large, what the move in hand is made for: read from beside the wheel.
  const now = box.querySelector("[data-look-now]");
  document.addEventListener("rx:drawn", ({ detail: strips }) => {
    const aim = [...bench.querySelectorAll("[data-aimed]")].find(({ dataset }) => strips[dataset.aimed]);
    now.hidden = !aim;
    if (!aim) return;
    const [, , , , text, word, doubt, label, axle] = strips[aim.dataset.aimed];
    box.querySelector("[data-look-value]").textContent = text;
    box.querySelector("[data-look-of]").textContent = `${axle}: ${label}, ${word}, give or take ${doubt}. It should come to ${aim.textContent}.`;
  });
  setInterval(ask, AGAIN_MS);
  ask();
}
