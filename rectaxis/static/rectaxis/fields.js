// Every field with a slot saves itself when it is left, and shows what became of it.

const DONE = "everything typed is saved";

export function startFields(bench, outbox) {
  const saved = bench.querySelector("[data-saved]");
  const fieldsOf = (slot) => bench.querySelectorAll(`[data-slot="${CSS.escape(slot)}"]:not(li)`);
  const isChoice = (field) => field.type === "radio" || field.type === "checkbox";
  const known = new Map();
  const notes = new Map();

  function show(slot, typed) {
    known.set(slot, typed);
    for (const field of fieldsOf(slot)) {
      if (isChoice(field)) field.checked = field.value === typed;
      else if (field !== document.activeElement || field.dataset.handInput !== undefined) field.value = typed;
    }
    document.dispatchEvent(new CustomEvent("rx:shown", { detail: { slot, typed } }));
  }

  function note(slot, text, refused) {
    notes.set(slot, { text, refused });
    for (const place of bench.querySelectorAll(`[data-note="${CSS.escape(slot)}"]`)) {
      place.textContent = text;
      place.classList.toggle("refused", refused);
    }
    for (const field of fieldsOf(slot)) {
      field.classList.toggle("refused", refused);
      field.setAttribute("aria-invalid", String(refused));
      if (field.classList.contains("on-plan")) field.setAttribute("title", text);
    }
    document.dispatchEvent(new CustomEvent("rx:noted", { detail: { slot, text, refused } }));
  }

  outbox.listen((event) => {
    if (event.kind === "typed") {
      note(event.slot, "saving", false);
      if (!saved.classList.contains("waiting")) saved.textContent = "saving";
    }
    if (event.kind === "saved") note(event.slot, event.text ? `${event.text}, saved` : "saved", false);
    if (event.kind === "refused") note(event.slot, event.text, true);
    if (event.kind === "held") {
      saved.textContent = event.why === "signed out"
        ? `${event.count} not sent: reload or sign in again; kept on this device`
        : `${event.count} not sent yet, kept on this device`;
      saved.classList.add("waiting");
      for (const item of outbox.mine()) if (!item.refused) note(item.slot, "kept here, not sent yet", false);
    }
    if (event.kind === "sent" && !event.count) {
      const now = new Date();
      saved.textContent = `saved ${String(now.getHours()).padStart(2, "0")}:${String(now.getMinutes()).padStart(2, "0")}`;
      saved.classList.remove("waiting");
    }
  });

  bench.addEventListener("change", (event) => {
    const field = event.target;
    const slot = field.dataset.slot;
    if (!slot) return;
    const typed = field.type === "checkbox" && !field.checked ? "" : field.value.trim();
    if (known.get(slot) === typed && !(notes.get(slot) || {}).refused) return;
    show(slot, typed);
    outbox.put(slot, typed);
    askWhy(bench, slot, typed);
  });
  shortcuts(bench);

  // What others typed arrives with each refresh; what is waiting here, or being typed, is not overwritten.
  function takeOver() {
    const held = new Set(outbox.mine().map((item) => item.slot));
    for (const entry of document.querySelectorAll("#current li")) {
      const { slot, typed } = entry.dataset;
      if (held.has(slot) || known.get(slot) === typed) continue;
      if (!known.has(slot)) known.set(slot, typed);
      else show(slot, typed);
    }
    for (const [slot, { text, refused }] of notes) {
      for (const place of bench.querySelectorAll(`[data-note="${CSS.escape(slot)}"]`)) {
        place.textContent = text;
        place.classList.toggle("refused", refused);
      }
    }
  }

  for (const item of outbox.mine()) {
    show(item.slot, item.typed);
    note(item.slot, item.refused || "kept here, not sent yet", Boolean(item.refused));
  }
  takeOver();
  document.body.addEventListener("htmx:after:swap", () => setTimeout(takeOver, 0));
  document.addEventListener("rx:type", (event) => {
    const { slot, typed } = event.detail;
    show(slot, typed);
    outbox.put(slot, typed);
  });
  saved.dataset.ready = "yes";
  if (!outbox.mine().length && saved.textContent.trim() === "") saved.textContent = DONE;
  simulate(bench);
}

// Some answers ask for a reason: its field shows itself beside the answer.
function askWhy(bench, slot, typed) {
  const box = bench.querySelector(`[data-why-of="${CSS.escape(slot)}"]`);
  if (!box) return;
  box.hidden = !box.dataset.explained.split("\n").includes(typed);
  if (!box.hidden) box.querySelector("input").focus();
}

// Two shortcuts for what a person has in fact looked at: the same pressure along an axle, and the rest being sound.
function shortcuts(bench) {
  const type = (slot, typed) => document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot, typed } }));
  bench.addEventListener("click", (event) => {
    if (event.target.closest("[data-rest]")) {
      for (const group of bench.querySelectorAll(".axle-parts fieldset[data-field]")) {
        if (!group.querySelector("input[type=radio]:checked")) type(group.dataset.field, event.target.closest("[data-rest]").dataset.rest);
      }
    }
    if (event.target.closest("[data-same]")) {
      const fields = [...bench.querySelectorAll("[data-slot^='look/tyre/'][data-slot$='/pressure']")];
      for (const field of fields) {
        const axle = field.dataset.slot.split("/")[2];
        const first = fields.find((one) => one.dataset.slot.split("/")[2] === axle);
        if (!field.value && first.value) type(field.dataset.slot, first.value);
      }
    }
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
    const answer = await fetch(bench.dataset.scales, { method: "POST", body: JSON.stringify({ slots }), headers: { "Content-Type": "application/json", "X-CSRFToken": token } });
    if (!answer.ok) return;
    const { typed } = await answer.json();
    for (const [slot, text] of Object.entries(typed)) document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot, typed: text } }));
  });
}
