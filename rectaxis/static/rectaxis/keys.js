// Keys. In a field: Enter walks on, Shift Enter back, minus flips the sign where the scale goes below zero.

export function startKeys(bench) {
  const typing = (target) => target.matches("input:not([type=radio], [type=checkbox], [type=range]), textarea, select");
  const dialog = document.getElementById("help");
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-help]")) dialog.showModal();
  });

  bench.addEventListener("keydown", (event) => {
    const field = event.target;
    if (event.key === "Escape" && typing(field)) field.blur(); // then the single keys work again
    if (event.key === "Enter" && field.matches("input[data-slot]:not([type=radio], [type=checkbox])")) {
      event.preventDefault();
      field.dispatchEvent(new Event("change", { bubbles: true }));
      if (field.closest("[data-looks]")) return;
      if (staysHere(field)) return;
      if (field.matches("[data-walkable], [data-hand-input]")) bench.dispatchEvent(new CustomEvent("rx:walk", { detail: event.shiftKey ? -1 : 1 }));
      else walkFields(bench, field, event.shiftKey ? -1 : 1);
    }
    if (event.key === "-" && field.hasAttribute("data-signed") && field.value.trim() !== "" && field.selectionStart === field.selectionEnd) {
      event.preventDefault();
      const text = field.value.trim();
      field.value = text.startsWith("-") ? text.slice(1) : `-${text}`;
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
  });

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
    if (event.key === "Enter" && event.target === document.body) bench.dispatchEvent(new CustomEvent("rx:walk", { detail: 1 }));
    if (!("singleKeys" in bench.dataset)) return; // who dictates, or strikes keys by mistake, turned them off
    if (/^[1-9]$/.test(event.key)) document.querySelector(`[data-key="${event.key}"]`)?.click();
    if (event.key === "/") { event.preventDefault(); window.location.assign(bench.dataset.find); }
    if (event.key === "b") document.querySelector(`.rail [data-stage="${bench.dataset.stage === "prove" ? "read" : "prove"}"]`)?.click();
    if (event.key === "?") dialog.showModal();
    if (event.key === "u") document.querySelector("[data-units]").requestSubmit();
    if (event.key === "g") {
      if (document.fullscreenElement) document.exitFullscreen();
      else bench.querySelector("[data-plan]")?.requestFullscreen();
    }
  });
}

// A number that its scale cannot show, or no number at all, keeps the focus: the answer says why. A second Enter goes on.
function staysHere(field) {
  const ruler = document.querySelector(`[data-ruler="${CSS.escape(field.dataset.slot)}"]`);
  const text = field.value.trim();
  if (!ruler || !text || field.dataset.stayed === text) return false;
  const plain = /^[+\u2212-]?\d+(?:[.,]\d+)?$/.test(text);
  const value = Number(text.replace("\u2212", "-").replace(",", "."));
  const off = plain && (value < Number(ruler.dataset.least) || value > Number(ruler.dataset.most));
  if (!off && /\d/.test(text)) return false;
  field.dataset.stayed = text;
  field.select();
  return true;
}

function walkFields(bench, field, by) {
  const fields = [...bench.querySelectorAll("main input[data-slot]:not([type=radio], [type=checkbox], :disabled)")];
  const next = fields[fields.indexOf(field) + by];
  if (next) { next.focus(); next.select(); }
}
