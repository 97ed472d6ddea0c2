// Every field with a slot saves itself when it is left, and shows what became of it.

import { rest } from "./rest.js";

export function startFields(bench, outbox) {
  const saved = bench.querySelector("[data-saved]");
  const atFirst = saved.textContent;
  const fieldsOf = (slot) => bench.querySelectorAll(`[data-slot="${CSS.escape(slot)}"]:not(li)`);
  const isChoice = (field) => field.type === "radio" || field.type === "checkbox";
  const known = new Map(); // what each slot says, as last heard from the server or typed here
  const seen = new Map(); // the entry behind that, which a save from here replaces, and its place in the record
  const notes = new Map();
  const asks = new Map(); // what looks odd about the number in a slot, as a question
  const typing = new Set(); // slots in which something is typed that has not been left yet

  function show(slot, typed) {
    known.set(slot, typed);
    for (const field of fieldsOf(slot)) {
      if (isChoice(field)) field.checked = field.value === typed;
      else if (field !== document.activeElement || !typing.has(slot)) field.value = typed;
    }
    document.dispatchEvent(new CustomEvent("rx:shown", { detail: { slot, typed } }));
  }

  function write(place, { text, refused, mine }) {
    place.textContent = text;
    place.classList.toggle("refused", refused);
    if (refused) place.setAttribute("role", "alert");
    else place.removeAttribute("role");
    const ask = asks.get(place.dataset.note);
    if (ask && !refused) place.append(Object.assign(document.createElement("span"), { className: "asked", textContent: ask }));
    if (mine === undefined) return;
    const button = Object.assign(document.createElement("button"), { type: "button", className: "quiet-button", textContent: `use mine: ${mine || "empty"}` });
    button.dataset.useMine = mine;
    place.append(" ", button);
  }

  function note(slot, text, refused, mine) {
    notes.set(slot, { text, refused, mine });
    for (const place of bench.querySelectorAll(`[data-note="${CSS.escape(slot)}"]`)) write(place, notes.get(slot));
    for (const field of fieldsOf(slot)) {
      field.classList.toggle("refused", refused);
      field.setAttribute("aria-invalid", String(refused));
      if (field.classList.contains("on-plan")) field.setAttribute("title", text);
    }
  }

  function put(slot, typed, taken) {
    typing.delete(slot);
    show(slot, typed);
    outbox.put(slot, typed, seen.get(slot)?.entry, taken);
  }

  // Answers overtake each other: one that was written before what is known here says nothing.
  const older = (slot, sequence) => sequence < (seen.get(slot)?.sequence || 0);

  // What counts now is shown, unless the person is typing something newer.
  function counts({ slot, typed, counts: now, entry, sequence }) {
    if (older(slot, sequence)) return;
    seen.set(slot, { entry, sequence });
    if (now !== typed && !typing.has(slot)) show(slot, now);
  }

  const heard = {
    typed: ({ slot }) => note(slot, "saving", false),
    saved(event) {
      document.dispatchEvent(new CustomEvent("rx:saved", { detail: event.slot }));
      if (known.get(event.slot) !== event.typed) return; // something newer was typed here
      counts(event);
      const other = event.counts !== event.typed ? `${event.counts || "nothing"} counts by now` : "";
      note(event.slot, other || (event.text ? `${event.text}, saved` : "saved"), false);
    },
    "other counts": (event) => {
      if (known.get(event.slot) !== event.typed) return;
      counts(event);
      note(event.slot, event.text, true, event.typed);
    },
    refused(event) {
      if (event.again) show(event.slot, event.typed);
      note(event.slot, event.text, true);
    },
    held(event) {
      if (event.again) show(event.slot, event.typed);
      note(event.slot, "kept here, not sent yet", false);
    },
    state({ text, held, waiting, refused }) {
      saved.textContent = waiting && !held ? "saving" : text || atFirst;
      saved.classList.toggle("waiting", held || refused > 0);
    },
  };
  outbox.listen((event) => heard[event.kind]?.(event));

  document.addEventListener("rx:taken", ({ detail: { slot } }) => {
    for (const place of bench.querySelectorAll(`[data-note="${CSS.escape(slot)}"]`)) write(place, notes.get(slot) || { text: "", refused: false });
  });
  bench.addEventListener("input", (event) => {
    if (event.target.dataset.slot) typing.add(event.target.dataset.slot);
  });
  bench.addEventListener("change", (event) => {
    const field = event.target;
    const slot = field.dataset.slot;
    if (!slot) return;
    const typed = field.type === "checkbox" && !field.checked ? "" : withUnit(field);
    typing.delete(slot);
    const { refused, mine } = notes.get(slot) || {};
    if (known.get(slot) === typed && (!refused || mine !== undefined)) return;
    put(slot, typed);
    askWhy(bench, slot, typed);
  });
  bench.addEventListener("click", (event) => {
    const mine = event.target.closest("[data-use-mine]");
    if (mine) put(mine.closest("[data-note]").dataset.note, mine.dataset.useMine);
  });
  shortcuts(bench);
  // A call, a lock screen, a closed tab: what is being typed is left, as if by a press elsewhere.
  document.addEventListener("visibilitychange", () => {
    const field = document.activeElement;
    if (document.visibilityState === "hidden" && typing.has(field?.dataset?.slot)) field.dispatchEvent(new Event("change", { bubbles: true }));
  });

  // What others typed arrives with each refresh; what is waiting here, or being typed, is not overwritten.
  function takeOver() {
    const held = new Set(outbox.mine().map((item) => item.slot));
    for (const { dataset: { slot, typed, entry, sequence } } of document.querySelectorAll("#current li[data-slot]")) {
      if (held.has(slot) || typing.has(slot) || older(slot, Number(sequence))) continue;
      const first = !known.has(slot);
      seen.set(slot, { entry, sequence: Number(sequence) });
      if (first) known.set(slot, typed);
      else if (known.get(slot) !== typed) show(slot, typed);
    }
    asks.clear();
    for (const { dataset: { slot, ask } } of document.querySelectorAll("#current li[data-ask]")) asks.set(slot, ask);
    for (const place of bench.querySelectorAll("[data-note]")) {
      const said = notes.get(place.dataset.note) || { text: "", refused: false };
      const had = place.querySelector(".asked")?.textContent || "";
      const has = said.refused ? "" : asks.get(place.dataset.note) || "";
      if (had !== has || (notes.has(place.dataset.note) && !place.textContent.startsWith(said.text))) write(place, said);
    }
  }

  takeOver();
  document.body.addEventListener("htmx:after:swap", () => setTimeout(takeOver, 0));
  document.addEventListener("rx:type", (event) => put(event.detail.slot, event.detail.typed, event.detail.taken));
  simulate(bench);
  waitForSaves(bench, outbox);
  outbox.begin().then(() => { saved.dataset.ready = "yes"; });
}

// A plain number means the person's own unit: the record says which, so that anybody reads it alike.
function withUnit(field) {
  const text = field.value.trim();
  const own = field.dataset.typedIn;
  return own && own !== "bar" && /^\d+(?:[.,]\d+)?$/.test(text) ? `${text} ${own}` : text;
}

// What is sealed, moved or handed over comes after what was typed: the form waits until the server has that.
function waitForSaves(bench, outbox) {
  const forget = () => { for (const form of bench.querySelectorAll("[data-saves-known]")) delete form.dataset.savesKnown; };
  bench.addEventListener("input", forget);
  window.addEventListener("pageshow", forget);
  bench.addEventListener("submit", async (event) => {
    const form = event.target;
    if (!form.matches("[data-after-saves]") || form.dataset.savesKnown) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    document.activeElement?.blur();
    const { waiting, refused } = await outbox.settled();
    if (!waiting && !refused) {
      form.dataset.savesKnown = "yes";
      form.requestSubmit();
      return;
    }
    // Said once: a second press goes on without what was refused. Without a connection nothing goes on.
    if (refused && !waiting) form.dataset.savesKnown = "yes";
    const said = form.querySelector("[data-saves-said]") || form.appendChild(Object.assign(document.createElement("p"), { className: "refusal" }));
    said.dataset.savesSaid = "";
    said.setAttribute("role", "alert");
    said.textContent = waiting
      ? `${waiting} of what you typed is not on the server yet: it is kept here and sent when there is a connection. Then press again.`
      : `${refused} of what you typed was refused and is not on the record. Mend it, or press again to go on without it.`;
  }, true);
}

// Some answers ask for a reason: its field shows itself beside the answer.
function askWhy(bench, slot, typed) {
  const box = bench.querySelector(`[data-why-of="${CSS.escape(slot)}"]`);
  if (!box) return;
  box.hidden = !box.dataset.explained.split("\n").includes(typed);
  if (!box.hidden) box.querySelector("input").focus();
}

// Shortcuts for what a person has in fact looked at: the same pressure along an axle, an even tread, and the rest being sound.
function shortcuts(bench) {
  const type = (slot, typed) => document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot, typed } }));
  bench.addEventListener("click", (event) => {
    rest(bench, event.target, type);
    const kind = event.target.closest("[data-same]")?.dataset.same;
    if (kind) {
      const fields = [...bench.querySelectorAll(`[data-same-of^="${kind} "]`)];
      for (const field of fields) {
        const first = fields.find((one) => one.dataset.sameOf === field.dataset.sameOf && one.value);
        if (!field.value && first) type(field.dataset.slot, first.value);
      }
    }
  });
}

// A choice pressed again is taken back: nobody is held to an answer.
export function startChoices(bench) {
  let was = null;
  const empty = (radio) => document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot: radio.dataset.slot, typed: "" } }));
  bench.addEventListener("pointerdown", (event) => {
    const radio = event.target.closest("label")?.querySelector("input[type=radio][data-slot]");
    was = radio?.checked ? radio : null;
  });
  bench.addEventListener("click", (event) => {
    if (was && event.target === was) empty(was);
    if (event.target === was) was = null;
  });
  bench.addEventListener("keydown", (event) => {
    if (event.key !== " " || !event.target.matches("input[type=radio][data-slot]:checked")) return;
    event.preventDefault();
    empty(event.target);
  });
}

function simulate(bench) {
  bench.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-simulate]");
    if (!button) return;
    const inHand = bench.querySelector("[data-hand-input]")?.dataset.slot;
    const all = [...bench.querySelectorAll("input[data-slot][data-walkable], .rolls input[data-slot]")].map((field) => field.dataset.slot);
    const slots = button.dataset.simulate === "one" ? [inHand || all[0]] : all;
    const token = document.querySelector('meta[name="csrf-token"]').content;
    const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
    const answer = await fetch(bench.dataset.scales, { method: "POST", body: JSON.stringify({ slots }), headers });
    if (!answer.ok) return;
    const { typed } = await answer.json();
    for (const [slot, text] of Object.entries(typed)) document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot, typed: text } }));
  });
}
