// How to roll, or to steer, as the server says it: an arrow, an amount, a bar that fills, and stop.

export const ARROWS = { forward: "\u2191", back: "\u2193", left: "\u2190", right: "\u2192", stop: "\u25a0", done: "\u2713" };
const ONE_TAKE_MS = 10_000;

// As if a person pressed: the button is there while a picture may be taken, and a form that was sent is not sent again.
function shoot(move) {
  document.querySelector(`#pictures form:not([data-sent]) input[name="move"][value="${move}"] ~ button`)?.click();
}

export function startGuide(bench, take) {
  const box = bench.querySelector("[data-guide]");
  if (!box) return { show() {} };
  const part = (name) => box.querySelector(`[data-guide-${name}]`);
  const taken = new Map(); // place → when it was taken here: its entry is on the way
  let now = null;

  const stop = part("stop"); // at full lock: nothing but the hands at the steering wheel feel that it is there
  stop?.addEventListener("click", () => takeAll());

  // What is read where the wheels hold still comes with the guide, all of it of one moment.
  function look(held) {
    if (stop) {
      stop.hidden = !now.press;
      stop.disabled = !Object.keys(now.take || {}).length;
    }
    if (!held || !part("take").checked || now.press) return;
    if (now.shoot) shoot(now.shoot);
    takeAll();
  }

  function takeAll() {
    for (const [place, [value, u, spread, samples, device]] of Object.entries(now?.take || {})) {
      if (performance.now() - (taken.get(place) ?? -Infinity) < ONE_TAKE_MS) continue;
      taken.set(place, performance.now());
      take(`before/${place}`, { value, u, spread, samples, device });
    }
  }

  return {
    show({ guide }, held = true) {
      now = guide;
      if (!guide) return;
      const { way, by, share, text } = guide;
      box.hidden = false;
      box.dataset.way = way;
      part("arrow").textContent = ARROWS[way];
      part("by").textContent = by ? `${by.toFixed(by < 20 ? 1 : 0)}\u00b0` : "";
      part("bar").value = share;
      if (part("text").textContent !== text) part("text").textContent = text;
      look(held);
    },
  };
}
