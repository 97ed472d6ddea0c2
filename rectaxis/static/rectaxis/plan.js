// The drawing: markers and beams follow what is typed, dragging a marker types, the slider enlarges what is solved.
// A number's place on its ruler comes from the server as a zero and a length per unit.

import { startLooks } from "./looks.js";
import { said } from "./said.js";
import { startZoom } from "./zoom.js";

export function startPlan(bench) {
  const plan = bench.querySelector("[data-plan]");
  if (!plan) return;
  const rulers = new Map([...plan.querySelectorAll("[data-ruler]")].map((ruler) => [ruler.dataset.ruler, ruler]));
  startZoom(plan);
  const hand = startHand(bench, plan, rulers);

  function mark(ruler, value) {
    const { zero, per, top, bottom } = ruler.dataset;
    const marker = ruler.querySelector("[data-marker]");
    const beam = ruler.querySelector("[data-beam]");
    const shown = Number.isFinite(value);
    const tape = "tape" in ruler.dataset;
    const y = tape ? (Number(top) + Number(bottom)) / 2 : Math.min(Math.max(Number(zero) + Number(per) * value, Number(top)), Number(bottom));
    // On a tape the marker stands still and the ticks run under it.
    if (tape && shown) ruler.querySelector("[data-ticks]").setAttribute("transform", `translate(0 ${-(value % 10) * Number(per)})`);
    for (const part of [marker, beam]) if (part) part.setAttribute("visibility", shown ? "visible" : "hidden");
    if (!shown) return;
    marker.setAttribute("transform", `translate(0 ${y})`);
    if (beam) beam.setAttribute("y2", y);
  }

  // Only a plain number moves the marker at once; anything else waits until the server has understood it.
  const plain = (text) => (/^\s*[+\-\u2212]?\d*[.,]?\d+\s*$/.test(text) ? Number(text.replace(",", ".").replace("\u2212", "-")) : NaN);

  function understood(slot, typed) {
    if (typed === "") return NaN;
    const number = plain(typed);
    if (Number.isFinite(number)) return number;
    const entry = document.querySelector(`#current li[data-slot="${CSS.escape(slot)}"]`);
    return entry && entry.dataset.typed === typed && entry.dataset.value !== "" ? Number(entry.dataset.value) : NaN;
  }

  function refresh(slot) {
    const ruler = rulers.get(slot);
    if (ruler) mark(ruler, understood(slot, ruler.querySelector("input").value.trim()));
  }

  plan.addEventListener("input", (event) => {
    const ruler = event.target.closest("[data-ruler]");
    if (!ruler) return;
    mark(ruler, plain(event.target.value));
    hand.follow(ruler);
  });
  // What a device says moves the marker of a scale on which nothing is typed; while setting, of every scale.
  document.addEventListener("rx:live", ({ detail: { slot, value, settled } }) => {
    const ruler = rulers.get(slot);
    if (!ruler) return;
    const typed = ruler.querySelector("input").value;
    if (typed && (bench.dataset.stage !== "set" || !Number.isFinite(value))) return;
    mark(ruler, value);
    ruler.classList.toggle("settled", settled);
  });
  document.addEventListener("rx:shown", (event) => { refresh(event.detail.slot); hand.again(); });
  drag(plan, mark);

  function enlarge() {
    const times = Number(sessionStorage.getItem("rectaxis-times") || 30);
    for (const part of plan.querySelectorAll("[data-turn]")) {
      const { turn, x, y } = part.dataset;
      part.setAttribute("transform", `rotate(${Math.max(-60, Math.min(60, Number(turn) * times))} ${x} ${y})`);
    }
    const names = [...plan.querySelectorAll("[data-turned]")].map((part) => ({ part, y: above(part, times) }));
    names.sort((one, other) => other.y - one.y);
    let lowest = Infinity; // two lines that run close together have their names above each other
    for (const { part, y } of names) {
      lowest = Math.min(y, lowest - 18);
      part.setAttribute("y", lowest);
    }
  }
  // A line's name stands above it, wherever the line goes.
  function above(part, times) {
    const { turned, about } = part.dataset;
    const turn = Math.max(-60, Math.min(60, Number(turned) * times));
    return 256 + Math.tan((turn * Math.PI) / 180) * (Number(part.getAttribute("x")) + 50 - Number(about)) - 12;
  }
  document.addEventListener("rx:enlarge", enlarge);
  document.body.addEventListener("htmx:after:swap", () => setTimeout(() => { enlarge(); for (const slot of rulers.keys()) refresh(slot); }, 0));
  enlarge();
}

function drag(plan, mark) {
  let held = null;
  let from = 0;
  const svg = plan.querySelector(".plan-fields");
  const placeOf = (event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const valueAt = (ruler, event) => {
    const at = placeOf(event);
    const { zero, per, least, most, step } = ruler.dataset;
    const raw = "tape" in ruler.dataset ? from + at.y / Number(per) : (at.y - Number(zero)) / Number(per);
    const value = Math.min(Math.max(raw, Number(least)), Number(most));
    return Math.round(value / Number(step)) * Number(step);
  };
  const text = (value) => String(Number(value.toFixed(2)));
  svg.addEventListener("pointerdown", (event) => {
    const ruler = event.target.closest("[data-grip]")?.closest("[data-ruler]");
    if (!ruler || ruler.querySelector("input").disabled) return;
    ruler.querySelector("input").focus();
    event.preventDefault();
    // A tape is pulled on from what it shows; an empty one has nothing to pull on from.
    const start = Number(ruler.querySelector("input").value);
    if ("tape" in ruler.dataset && !start) return;
    from = 0;
    if ("tape" in ruler.dataset) from = start - placeOf(event).y / Number(ruler.dataset.per);
    held = ruler;
    svg.setPointerCapture(event.pointerId);
  });
  svg.addEventListener("pointermove", (event) => {
    if (!held) return;
    const value = valueAt(held, event);
    mark(held, value);
    held.querySelector("input").value = text(value);
  });
  svg.addEventListener("pointerup", (event) => {
    if (!held) return;
    const field = held.querySelector("input");
    field.value = text(valueAt(held, event));
    document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot: field.dataset.slot, typed: field.value } }));
    held = null;
  });
}

// The column's large field is the same field as the one in hand on the drawing.
function startHand(bench, plan, rulers) {
  const box = bench.querySelector("[data-hand]");
  if (!box) return { follow() {}, again() {} }; // nothing here is read off a scale
  const large = box.querySelector("[data-hand-input]");
  // A scale that need not be read again is reached by Tab and touch, not by the walk.
  const order = [...rulers.keys()].filter((slot) => rulers.get(slot).querySelector("[data-walkable]"));
  const looks = startLooks(box, large);
  let current = null;

  function take(ruler) {
    current = ruler;
    const field = ruler.querySelector("input");
    const at = order.indexOf(ruler.dataset.ruler);
    box.querySelector("[data-hand-title]").textContent = `Read the ${ruler.dataset.label}`;
    box.querySelector("[data-hand-hint]").textContent = `${ruler.dataset.hint} ${at < 0 ? bench.dataset.notAsked : `Scale ${at + 1} of ${order.length}.`}`;
    box.querySelector("[data-hand-unit]").textContent = ruler.dataset.unit;
    large.dataset.slot = field.dataset.slot;
    large.disabled = field.disabled;
    large.value = field.value;
    large.setAttribute("aria-label", `${ruler.dataset.label}, ${ruler.dataset.unit}`);
    large.toggleAttribute("data-signed", field.hasAttribute("data-signed"));
    box.querySelector("[data-hand-note]").dataset.note = ruler.dataset.ruler;
    document.dispatchEvent(new CustomEvent("rx:taken", { detail: { slot: ruler.dataset.ruler } }));
    looks.take(ruler);
    aim();
  }

  // What the scale in hand should show, where a move says so.
  function aim() {
    const target = current && document.querySelector(`#plan-solved .target[data-of="${CSS.escape(current.dataset.ruler)}"]`);
    const shown = box.querySelector("[data-hand-aim]");
    shown.textContent = target ? `${shown.dataset.word} ${said(target.textContent.trim(), current.dataset)}.` : "";
  }

  plan.addEventListener("focusin", (event) => {
    const ruler = event.target.closest("[data-ruler]");
    if (ruler) { take(ruler); event.target.select(); }
  });
  large.addEventListener("input", () => {
    if (!current) return;
    const field = current.querySelector("input");
    field.value = large.value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
  box.addEventListener("click", (event) => {
    const button = event.target.closest("[data-walk]");
    if (!button) return;
    // What the pad typed has not been left yet, as far as the browser knows.
    if (current) large.dispatchEvent(new Event("change", { bubbles: true }));
    walk(button.dataset.walk === "on" ? 1 : -1);
  });

  // Set asks for what a move put out of date, which is blank; elsewhere the walk goes by every scale once.
  let ended = null;
  function after(at, by) {
    const blank = (ruler) => !ruler.querySelector("input").value;
    const around = [...order.slice(at + 1), ...order.slice(0, Math.max(at, 0))].map((slot) => rulers.get(slot));
    if (by > 0 && (bench.dataset.stage === "set" || at === order.length - 1)) return around.find(blank);
    return rulers.get(order[(at + by + order.length) % order.length]);
  }

  // After the last scale comes what is next: where the tools hang then, the move in hand, the next stage.
  function goOn() {
    const next = document.querySelector("#move-on a.go, [data-in-hand] [name=amount], [data-in-hand] [name=to], .onward a");
    next?.focus();
    next?.scrollIntoView({ block: "nearest" });
    return next;
  }
  // What is next may only be known once the last number is saved; a person who went elsewhere meanwhile is left there.
  document.body.addEventListener("htmx:after:swap", () => setTimeout(() => {
    ended = ended && [ended, document.body].includes(document.activeElement) ? goOn() : null;
    aim();
  }, 0));

  function walk(by) {
    const at = current ? order.indexOf(current.dataset.ruler) : (by > 0 ? -1 : order.length);
    const next = after(at, by);
    if (!next) {
      ended = goOn();
      return;
    }
    const small = window.matchMedia("(max-width: 1000px)").matches;
    take(next);
    (small ? large : next.querySelector("input")).focus();
    if (small) large.select();
  }

  // What to read next was said of the readings as they were: it goes with each number, not with the refresh, which may come later.
  document.addEventListener("rx:saved", () => document.getElementById("next")?.replaceChildren());
  bench.addEventListener("rx:walk", (event) => walk(event.detail));
  bench.addEventListener("click", (event) => {
    const wanted = rulers.get(event.target.closest("[data-go-to]")?.dataset.goTo);
    if (!wanted) return;
    take(wanted);
    wanted.querySelector("input").focus();
  });
  const first = [...rulers.values()].find((ruler) => !ruler.querySelector("input").value) || rulers.values().next().value;
  if (first) take(first);
  return {
    follow(ruler) { if (ruler === current && document.activeElement !== large) { large.value = ruler.querySelector("input").value; looks.press(); } },
    again() { if (current && document.activeElement !== large) { large.value = current.querySelector("input").value; looks.press(); } },
  };
}
