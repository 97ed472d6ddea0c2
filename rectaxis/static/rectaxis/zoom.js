// On a small screen the drawing shows the axle in hand, so that what is written on it can be read; a press shows the whole.

const SMALL = window.matchMedia("(max-width: 640px)");
const TIMES = 1.1; // so much larger than its own size the drawing is shown
const HIGH = 260;

export function startZoom(plan) {
  const fields = plan.querySelector(".plan-fields");
  const [, , width, height] = fields.getAttribute("viewBox").split(" ").map(Number);
  const toggle = document.querySelector("[data-whole]");
  let near = null;
  let whole = false;

  function show() {
    const box = SMALL.matches && near && !whole ? boxAt(near) : [0, 0, width, height];
    for (const svg of plan.querySelectorAll(":scope > svg")) svg.setAttribute("viewBox", box.join(" "));
    if (!toggle) return;
    toggle.hidden = !(SMALL.matches && near);
    toggle.textContent = whole ? "Show the axle in hand" : "Show the whole vehicle";
  }

  function boxAt({ x, top }) {
    const wide = plan.clientWidth / TIMES;
    const left = Math.min(Math.max(x - wide / 2, 0), width - wide);
    return [left, top < height / 2 ? 0 : height - HIGH, wide, HIGH];
  }

  document.addEventListener("rx:taken", ({ detail: { slot } }) => {
    const ruler = plan.querySelector(`[data-ruler="${CSS.escape(slot)}"]`);
    near = ruler && { x: Number(ruler.dataset.x), top: Number(ruler.dataset.top) };
    show();
  });
  toggle?.addEventListener("click", () => { whole = !whole; show(); });
  window.addEventListener("resize", show);
  // What is solved is drawn anew with each refresh, over the whole vehicle.
  document.body.addEventListener("htmx:after:swap", () => setTimeout(show, 0));
}
