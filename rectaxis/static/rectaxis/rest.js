// "Mark the rest as sound": what would be marked is listed first, and what was marked can be taken back.

const made = (tag, given) => Object.assign(document.createElement(tag), given);
const line = (text) => made("p", { textContent: text });
const button = (id, text) => made("button", { type: "button", className: "plain", id, textContent: text });

function openParts(bench) {
  const parts = bench.querySelectorAll(".axle-parts fieldset[data-field]");
  return [...parts].filter((part) => !part.querySelector("input[type=radio]:checked"));
}

function nameOf(part) {
  const axle = part.closest("section").querySelector("h2").textContent.trim();
  return `${axle}: ${part.querySelector("legend").textContent.trim()}`;
}

export function rest(bench, target, type) {
  const box = target.closest("[data-rest-box]");
  if (!box) return;
  const said = box.querySelector("[data-rest-said]");
  const put = (slots, typed) => {
    for (const slot of slots) type(slot, typed);
  };
  if (target.closest("[data-rest]")) list(said, openParts(bench));
  if (target.id === "rest-leave") said.replaceChildren();
  if (target.id === "rest-mark") {
    const slots = openParts(bench).map((part) => part.dataset.field);
    put(slots, box.querySelector("[data-rest]").dataset.rest);
    said.replaceChildren(line(`${slots.length} are marked as sound.`), button("rest-undo", "Undo: none of these"));
    said.dataset.slots = slots.join(" ");
  }
  if (target.id === "rest-undo") {
    put(said.dataset.slots.split(" "), "");
    said.replaceChildren(line("They are open again."));
  }
}

function list(said, parts) {
  if (!parts.length) {
    said.replaceChildren(line("Everything is answered."));
    return;
  }
  const names = made("ul", {});
  names.append(...parts.map((part) => made("li", { textContent: nameOf(part) })));
  const mark = button("rest-mark", `Mark these ${parts.length} as sound`);
  said.replaceChildren(
    line("These are marked as sound, if you have looked at each:"),
    names,
    mark,
    " ",
    button("rest-leave", "Leave them open"),
  );
  mark.focus();
}
