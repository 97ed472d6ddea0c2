// "Mark the rest": what would be marked, and as what, is listed first, and what was marked can be taken back.

const made = (tag, given) => Object.assign(document.createElement(tag), given);
const line = (text) => made("p", { textContent: text });
const button = (id, text) => made("button", { type: "button", className: "plain", id, textContent: text });

// What is not answered, each with the code that it would be marked with.
function openParts(bench) {
  const parts = bench.querySelectorAll("[data-rest-as] fieldset[data-field]");
  const open = [...parts].filter((part) => !part.querySelector("input[type=radio]:checked"));
  return open.map((part) => ({ part, slot: part.dataset.field, code: part.closest("[data-rest-as]").dataset.restAs }));
}

function nameOf({ part, code }) {
  const title = part.closest("section").querySelector("h2").textContent.trim();
  const answer = part.querySelector(`input[value="${CSS.escape(code)}"]`).closest("label").textContent.trim();
  return `${title}: ${part.querySelector("legend").textContent.trim()}: ${answer}`;
}

export function rest(bench, target, type) {
  const box = target.closest("[data-rest-box]");
  if (!box) return;
  const said = box.querySelector("[data-rest-said]");
  if (target.closest("[data-rest]")) list(said, openParts(bench));
  if (target.id === "rest-leave") said.replaceChildren();
  if (target.id === "rest-mark") {
    const open = openParts(bench);
    for (const { slot, code } of open) type(slot, code);
    said.replaceChildren(line(`${open.length} are marked.`), button("rest-undo", "Undo: none of these"));
    said.dataset.slots = open.map(({ slot }) => slot).join(" ");
  }
  if (target.id === "rest-undo") {
    for (const slot of said.dataset.slots.split(" ")) type(slot, "");
    said.replaceChildren(line("They are open again."));
  }
}

function list(said, parts) {
  if (!parts.length) {
    said.replaceChildren(line("Everything is answered."));
    return;
  }
  const names = made("ul", {});
  names.append(...parts.map((one) => made("li", { textContent: nameOf(one) })));
  const mark = button("rest-mark", `Mark these ${parts.length}`);
  said.replaceChildren(
    line("Look at each of these, and at the maker's figures. Then they are marked:"),
    names,
    mark,
    " ",
    button("rest-leave", "Leave them open"),
  );
  mark.focus();
}
