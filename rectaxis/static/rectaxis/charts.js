// A chart is stepped through, visit by visit, by the arrow keys or a tap. What it says is the line of its table.
const STEPS = { ArrowLeft: (now) => now - 1, ArrowRight: (now) => now + 1, Home: () => 0, End: () => Infinity };

function show(chart, wanted) {
  const table = chart.parentElement.querySelector("table");
  const rows = [...table.tBodies[0].rows];
  const look = Math.min(Math.max(wanted, 0), rows.length - 1);
  const heads = [...table.tHead.rows[0].cells].map((cell) => cell.textContent.trim());
  const said = [...rows[look].cells].map((cell, place) => `${place > 1 ? `${heads[place].toLowerCase()} ` : ""}${cell.textContent.trim()}`);
  chart.dataset.look = look;
  for (const part of chart.querySelectorAll("[data-look]")) part.classList.toggle("c-in-hand", Number(part.dataset.look) === look);
  chart.querySelector("[data-chart-said]").textContent = said.join(", ");
}

document.addEventListener("keydown", (event) => {
  const chart = event.target.closest?.("[data-chart]");
  const step = STEPS[event.key];
  if (!chart || !step || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  show(chart, chart.dataset.look === undefined ? Infinity : step(Number(chart.dataset.look)));
});

// The nearest reading is meant: a dot is smaller than a finger.
document.addEventListener("click", (event) => {
  const chart = event.target.closest?.("[data-chart]");
  if (!chart) return;
  const away = (dot) => {
    const at = dot.getBoundingClientRect();
    return Math.hypot(at.x + at.width / 2 - event.clientX, at.y + at.height / 2 - event.clientY);
  };
  const dots = [...chart.querySelectorAll("circle[data-look]")].sort((one, other) => away(one) - away(other));
  if (dots.length > 0) show(chart, Number(dots[0].dataset.look));
});
