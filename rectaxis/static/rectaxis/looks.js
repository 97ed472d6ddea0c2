// What belongs to the scale in hand besides its number: which side of zero, and looking at it again.

export function startLooks(box, large) {
  const sides = box.querySelector("[data-sides]");
  const list = box.querySelector("[data-looks]");
  const again = box.querySelector("[data-look-again]");
  let slot = null;
  let further = []; // the slots of further looks, in their order

  const typedIn = (name) => document.querySelector(`#current li[data-slot="${CSS.escape(name)}"]`)?.dataset.typed || "";

  function press() {
    const text = large.value.trim();
    for (const button of sides.querySelectorAll("button")) {
      const negative = /^[-\u2212]/.test(text);
      button.setAttribute("aria-pressed", String(text !== "" && (button.dataset.side === "-") === negative));
    }
  }

  function showLooks() {
    const said = document.querySelector(`#current li[data-looks-of="${CSS.escape(slot)}"]`);
    const shown = new Set([...list.querySelectorAll("input")].map((input) => input.dataset.slot));
    for (const name of further) if (!shown.has(name) && typedIn(name)) add(name);
    let words = list.querySelector("p.mean");
    if (said) {
      words = words || list.appendChild(Object.assign(document.createElement("p"), { className: "mean" }));
      words.textContent = said.dataset.text;
    } else words?.remove();
  }

  function add(name) {
    const label = document.createElement("label");
    label.textContent = `look ${further.indexOf(name) + 2} `;
    const input = document.createElement("input");
    Object.assign(input, { value: typedIn(name), inputMode: "decimal", autocomplete: "off" });
    input.dataset.slot = name;
    input.toggleAttribute("data-signed", large.hasAttribute("data-signed"));
    const note = Object.assign(document.createElement("p"), { className: "note" });
    note.dataset.note = name;
    const strike = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "strike" });
    strike.setAttribute("aria-label", `Strike look ${further.indexOf(name) + 2}: it stays on the record and does not count`);
    strike.addEventListener("click", () => {
      input.value = "";
      document.dispatchEvent(new CustomEvent("rx:type", { detail: { slot: name, typed: "" } }));
    });
    label.append(input, " ", strike);
    list.insertBefore(label, list.querySelector("p.mean"));
    list.insertBefore(note, list.querySelector("p.mean"));
    return input;
  }

  sides.addEventListener("click", (event) => {
    const side = event.target.closest("[data-side]")?.dataset.side;
    if (!side) return;
    const bare = large.value.trim().replace(/^[-+\u2212]\s*/, "");
    large.value = side === "-" ? `-${bare}` : bare;
    large.dispatchEvent(new Event("input", { bubbles: true }));
    if (bare) large.dispatchEvent(new Event("change", { bubbles: true }));
    large.focus();
    large.setSelectionRange(large.value.length, large.value.length);
    press();
  });
  again.addEventListener("click", () => {
    const next = further[list.querySelectorAll("input").length];
    if (next) add(next).focus();
  });
  large.addEventListener("input", press);
  document.body.addEventListener("htmx:after:swap", () => setTimeout(() => { if (slot) showLooks(); }, 0));

  return {
    take(ruler) {
      const { plus, minus } = ruler.dataset;
      slot = ruler.dataset.ruler;
      further = (ruler.dataset.further || "").split("|").filter(Boolean);
      list.replaceChildren();
      sides.hidden = !minus;
      for (const button of sides.querySelectorAll("button")) button.textContent = button.dataset.side === "-" ? minus : plus;
      again.hidden = large.disabled || !slot || !further.length;
      press();
      showLooks();
    },
    press,
  };
}
