// How to roll, or to steer, as the server says it: an arrow, an amount, a bar that fills, and stop.

export const ARROWS = { forward: "\u2191", back: "\u2193", left: "\u2190", right: "\u2192", stop: "\u25a0", done: "\u2713" };
const ONE_TAKE_MS = 1500;

export function startGuide(bench, live) {
  const box = bench.querySelector("[data-guide]");
  if (!box) return { show() {}, look() {} };
  const part = (name) => box.querySelector(`[data-guide-${name}]`);
  const taken = new Map(); // place → when it was taken here: its entry is on the way
  let now = null;

  function look() {
    if (now?.way !== "stop" || !part("take").checked) return;
    const open = now.places.filter((place) => performance.now() - (taken.get(place) ?? -Infinity) > ONE_TAKE_MS);
    // All that is read there is read at one time, once all of it has settled.
    if (!open.length || !now.places.every((place) => live.get(place)?.settled)) return;
    for (const place of open) {
      taken.set(place, performance.now());
      live.take(`before/${place}`, live.get(place));
    }
  }

  return {
    show({ guide }) {
      now = guide;
      if (!guide) return;
      const { way, by, share, text } = guide;
      box.dataset.way = way;
      part("arrow").textContent = ARROWS[way];
      part("by").textContent = by ? `${by.toFixed(by < 20 ? 1 : 0)}\u00b0` : "";
      part("bar").value = share;
      if (part("text").textContent !== text) part("text").textContent = text;
      look();
    },
    look,
  };
}
