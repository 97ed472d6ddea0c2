// Numbers that come by themselves from devices: shown where they belong, taken when they have settled or by a press.
// Nothing is worked out here: whether a number has settled, and what is wrong, comes with it.

import { startGuide } from "./guide.js";
import { startLooking } from "./looking.js";
import { startDrawing } from "./moving.js";
import { said, unitOf } from "./said.js";
import { spaced } from "./spaced.js";

const SHOWN_MS = 100;
const DECIMALS = 3;
const MOVED = ["vehicle", "cameras"]; // what a person has to look at before anything is taken again
const DIFFERS = 4; // a number that is taken twice is apart by less than so many times the spread of its samples
const MOVES = 2; // what scatters by more than so many times the device's own uncertainty is being moved: it cannot settle
const TOLD = 2; // what a move changes by less than so many times that spread cannot be told from none
const AGAIN_MS = 10_000; // nothing is taken by itself twice within that time
const AUTO = "rectaxis-take";
const TAKEN = "rectaxis-taken";

// The same stream for every page: each message goes to `heard`, and `lost` says whether the server itself is away.
function listen(url, heard, lost) {
  let source = null;
  function open() {
    source = new EventSource(url);
    source.addEventListener("message", (event) => { lost(false); heard(JSON.parse(event.data)); });
    source.addEventListener("error", () => lost(true));
  }
  open();
  // One that is left holds no line; a page that the browser kept, and shows again, listens again.
  window.addEventListener("pagehide", () => source.close());
  window.addEventListener("pageshow", (event) => { if (event.persisted) open(); });
}

const NO_SERVER = "No connection to the server: what the devices say does not arrive.";
const NO_FOLLOWER = "What follows the devices does not answer. It is started again by itself; numbers can be typed meanwhile.";

const stateOf = ({ settled, stopped }) => (settled ? "settled" : stopped ? "not to be taken" : "still moving");

const places = (trouble, told) => trouble.map(({ text }) => text).concat(told ? [told] : []);

function list(box, texts) {
  const now = texts.join("\n");
  if (box.dataset.said === now) return;
  box.dataset.said = now;
  box.replaceChildren(...texts.map((text) => Object.assign(document.createElement("li"), { textContent: text })));
}

export function startLive(bench) {
  const panel = bench.querySelector("[data-live]");
  if (!panel && !bench.querySelector("[data-guide], [data-probe], [data-resets], [data-pictures], [data-hung]")) return;
  const at = new Map(); // the place of a number, without its phase → what was heard of it last
  const trouble = new Map(); // by device
  // A page that was on its way before a number was saved shows its field blank once more: that is no reason to take it again.
  const takenAt = new Map(JSON.parse(sessionStorage.getItem(TAKEN) || "[]"));
  const lately = (slot) => Date.now() - (takenAt.get(slot) ?? 0) < AGAIN_MS;
  function mark(slot) {
    takenAt.set(slot, Date.now());
    sessionStorage.setItem(TAKEN, JSON.stringify([...takenAt].filter(([one]) => lately(one))));
  }
  const away = { server: "", follower: "" };
  const drawing = startDrawing(bench);
  startLooking(bench);
  const guide = startGuide(bench, takeOne);
  const probe = startProbe(bench, at, takeOne);
  const resets = startResets(bench);
  const shown = panel ? startPanel(bench, panel, at, takeOne, lately) : { draw() {} };

  function heard(message) {
    if (message.guide !== undefined) return guide.show(message, held);
    if (message.job) return drawing.show(message);
    if ("follower" in message) away.follower = message.follower ? "" : NO_FOLLOWER;
    if (message.listening || !message.device) return draw();
    if (message.kept === bench.dataset.job) document.body.dispatchEvent(new CustomEvent("rx:looked-at"));
    away.follower = "";
    for (const [name, [value, u, spread, samples, settled, stopped]] of Object.entries(message.values || {})) {
      at.set(name, { value, u, spread, samples, settled, stopped, device: message.device });
    }
    for (const name of message.gone || []) at.delete(name);
    if (message.trouble) trouble.set(message.device, message.trouble);
    resets.hear(message);
    for (const form of bench.querySelectorAll(`[data-seen="${CSS.escape(message.device)}"]`)) {
      if (message.trouble) form.hidden = !message.trouble.some(({ code }) => MOVED.includes(code));
    }
    if (message.connected === false) for (const [name, one] of at) if (one.device === message.device) at.delete(name);
    return draw();
  }

  // What was taken before a reload, and waits in this browser, stands in its field once that was looked at: not before.
  let held = false;
  document.addEventListener("rx:held", ({ detail: slots }) => {
    for (const slot of slots) mark(slot);
    held = true;
    draw();
  });
  // It may have waited for long: a page that was made before it was saved does not take it anew.
  document.addEventListener("rx:saved", ({ detail: slot }) => { if (takenAt.has(slot)) mark(slot); });
  function takeOne(slot, { value, device, u, spread, samples }, typed = text(value)) {
    mark(slot);
    document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot, typed, taken: { device, u, spread, samples } } }));
  }

  const draw = spaced(() => {
    shown.draw(held);
    probe.draw(held);
    drawing.trouble([...trouble.values()].flat());
    for (const box of bench.querySelectorAll("[data-live-trouble]")) {
      list(box, places([...trouble.values()].flat(), away.server || away.follower));
    }
  }, SHOWN_MS);

  document.addEventListener("rx:taken", draw);
  listen(bench.dataset.devices, heard, (lost) => { away.server = lost ? NO_SERVER : ""; draw(); });
  draw();
}

const text = (value) => String(Number(value.toFixed(DECIMALS)));
const placeOf = (slot) => slot.slice(slot.indexOf("/") + 1).replace(/\/again-\d+$/, "");

// The scale in hand as a device reads it, large, and taking it.
function startPanel(bench, panel, at, takeOne, lately) {
  const big = panel.querySelector("[data-live-value]");
  const how = panel.querySelector("[data-live-how]");
  const take = panel.querySelector("[data-live-take]");
  const auto = panel.querySelector("[data-live-auto]");
  auto.checked = sessionStorage.getItem(AUTO) === "yes";
  auto.addEventListener("change", () => sessionStorage.setItem(AUTO, auto.checked ? "yes" : "no"));
  const inHand = () => bench.querySelector("[data-hand-input]");
  const rulers = () => [...bench.querySelectorAll("[data-ruler] input[data-slot]")];

  // A move may be recorded before it is made: a number nearer to what it was than to what the move should make it, and hardly
  // apart from what it was, is not what the move left.
  function stillAsBefore(slot, { value, spread, u }) {
    const was = bench.querySelector(`#current [data-was-of="${CSS.escape(slot)}"]`);
    if (!was) return false;
    const [before, after] = [Number(was.dataset.was), Number(was.dataset.should)];
    const off = Math.abs(value - before);
    // A few samples may lie closer together than the next few: the device's own doubt is the least that two means are apart.
    const told = Math.abs(after - before) >= TOLD * spread;
    return told && off < Math.max(DIFFERS * spread, u) && off < Math.abs(value - after);
  }

  function takeAll(pressed) {
    for (const field of rulers()) {
      const { slot } = field.dataset;
      const live = at.get(placeOf(slot));
      if (!live?.settled || field.disabled || field.value || (!pressed && (lately(slot) || stillAsBefore(slot, live)))) continue;
      takeOne(slot, live);
    }
  }

  function draw(held) {
    if (held && auto.checked) takeAll(false);
    for (const field of rulers()) {
      const live = at.get(placeOf(field.dataset.slot));
      const { slot } = field.dataset;
      document.dispatchEvent(new CustomEvent("rx:live", { detail: { slot, value: live ? live.value : NaN, settled: Boolean(live?.settled) } }));
    }
    const hand = inHand();
    const live = hand?.dataset.slot && at.get(placeOf(hand.dataset.slot));
    const ruler = hand?.dataset.slot && bench.querySelector(`[data-ruler="${CSS.escape(hand.dataset.slot)}"]`);
    big.textContent = live && ruler ? said(text(live.value), ruler.dataset) : "\u2013";
    panel.classList.toggle("settled", Boolean(live?.settled));
    const doubt = live && ruler ? `${(2 * live.u).toFixed(2)}${unitOf(ruler.dataset)}` : "";
    how.textContent = doubt ? `${stateOf(live)}, give or take ${doubt}` : "Nothing from a device for the scale in hand.";
    take.disabled = !live || live.stopped || hand.disabled;
  }

  take.addEventListener("click", () => {
    const { slot } = inHand().dataset;
    const live = at.get(placeOf(slot));
    if (!live) return;
    takeOne(slot, live);
    bench.querySelector('[data-walk="on"]')?.click();
  });
  panel.querySelector("[data-live-take-all]").addEventListener("click", () => takeAll(true));
  return { draw };
}

// What a probe is held on is lit, and taken once it has settled: nobody types with a probe in hand.
function startProbe(bench, at, takeOne) {
  const panel = bench.querySelector("[data-probe]");
  if (!panel) return { draw() {} };
  const taken = new Set();
  const how = panel.querySelector("[data-live-how]");
  return {
    draw(held) {
      for (const field of bench.querySelectorAll(".tyres input[data-slot]")) {
        const { slot, measuredIn } = field.dataset;
        const live = at.get(placeOf(slot));
        field.classList.toggle("probed", Boolean(live));
        if (!live) continue;
        const typed = `${live.value.toFixed(1)} ${measuredIn}`;
        panel.querySelector("[data-live-value]").textContent = typed;
        if (held && live.settled && !field.value && !field.disabled && !taken.has(slot)) {
          taken.add(slot);
          takeOne(slot, live, typed);
        }
        const state = taken.has(slot) ? "taken" : field.value ? "a number is there already" : stateOf(live);
        const words = `${field.getAttribute("aria-label")}: ${state}`;
        if (how.textContent !== words) how.textContent = words;
      }
    },
  };
}

// A sensor that was reset through a device is answered for, where it was asked for this visit and nobody has answered yet.
function startResets(bench) {
  const box = bench.querySelector("[data-resets]");
  let answered = Boolean(bench.querySelector("[data-slot='prove/sensors']:checked"));
  return {
    hear({ device, said: words, did, visit }) {
      if (!box || device !== box.dataset.resets || !words || visit !== bench.dataset.job) return;
      box.querySelector("[data-reset-said]").textContent = words;
      if (did !== "reset_sensor" || answered) return;
      answered = true;
      document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot: "prove/sensors", typed: "done" } }));
    },
  };
}

// The page of a kit's devices: what each says now, as a table.
export function startDevices(box) {
  const units = JSON.parse(box.dataset.units);
  const status = box.querySelector("[data-live-said]");
  let server = "";
  let follower = "";
  const say = () => { if (status.textContent !== (server || follower)) status.textContent = server || follower; };
  const moves = movement();

  function heard(message) {
    if ("follower" in message) follower = message.follower ? "" : NO_FOLLOWER;
    say();
    const section = message.device && box.querySelector(`[data-device="${CSS.escape(message.device)}"]`);
    if (!section) return;
    if ("connected" in message) section.querySelector("[data-device-connected]").textContent = message.connected ? "connected" : "not connected";
    if (message.trouble) list(section.querySelector("[data-device-trouble]"), places(message.trouble, ""));
    if (message.said) section.querySelector("[data-device-did]").textContent = message.said;
    const body = section.querySelector("[data-device-values]");
    if (!body) return; // cameras tell by pictures
    const values = Object.entries(message.values || {}).filter(([name]) => wanted(name, body.dataset.only));
    for (const [name, [value, , spread, , settled]] of values) {
      const row = body.querySelector(`[data-of="${CSS.escape(name)}"]`) || body.appendChild(rowOf(name));
      const unit = units[name.split("/")[0]];
      row.children[1].textContent = `${value.toFixed(DECIMALS)} ${unit}`;
      row.children[2].textContent = `${spread.toFixed(DECIMALS)} ${unit}`;
      row.children[3].textContent = settled ? "settled" : "moving";
      Object.assign(row.dataset, { value, settled: settled ? "yes" : "no" });
    }
    for (const name of message.gone || []) body.querySelector(`[data-of="${CSS.escape(name)}"]`)?.remove();
    rested(section, [...body.children], moves(values));
  }
  listen(box.dataset.devices, heard, (lost) => { server = lost ? NO_SERVER : ""; say(); });
}

// Of a kit that checks itself: only what the step is about; of sights those across.
function wanted(name, only) {
  const [what, axle, , to] = name.split("/");
  return !only || (what === only && (what !== "sight" || to === axle));
}

// All of what a step is about has settled: it can be taken. What still rests as it was taken in the step before cannot, until it has moved.
function rested(section, rows, moves) {
  const form = section.querySelector("[data-rested]");
  if (!form) return;
  const step = form.dataset.rested;
  if (moves) sessionStorage.setItem("moved-for", step);
  const moved = "first" in form.dataset || sessionStorage.getItem("moved-for") === step;
  form.elements.do.disabled = !rows.length || !moved || rows.some((row) => row.dataset.settled !== "yes");
  form.elements.values.value = JSON.stringify(Object.fromEntries(rows.map((row) => [row.dataset.of, Number(row.dataset.value)])));
}

// Told by what is measured: it scatters by more than the device does, or is elsewhere than where the page first saw it rest.
// That something has not settled does not tell it: it has not either once a connection was gone for a moment.
function movement() {
  const first = new Map();
  return (values) => values.map(([name, [value, u, spread, , settled]]) => {
    if (settled && !first.has(name)) first.set(name, value);
    return spread > MOVES * u || Math.abs(value - (first.get(name) ?? value)) > 2 * MOVES * u;
  }).includes(true);
}

function rowOf(name) {
  const row = document.createElement("tr");
  row.dataset.of = name;
  const [what, axle, side, ...rest] = name.split("/");
  const textContent = `${what}, ${side} of axle ${axle}${rest.length ? `, to ${rest.join(" ")}` : ""}`;
  const title = Object.assign(document.createElement("th"), { scope: "row", textContent });
  row.append(title, ...[1, 2, 3].map(() => document.createElement("td")));
  return row;
}
