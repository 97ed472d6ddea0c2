// "2 open" in the rail leads to the first of them: a question without an answer, a scale that is not read.

export function startOpen(bench) {
  const unanswered = (slot) => {
    const fields = [...bench.querySelectorAll(`[data-slot="${CSS.escape(slot)}"]:not(li)`)];
    const has = fields.some((field) => (field.type === "radio" ? field.checked : field.value.trim()));
    return has ? undefined : fields[0];
  };
  const blank = (query) => [...bench.querySelectorAll(query)].find((field) => !field.value.trim());

  function lead() {
    if (window.location.hash !== "#open") return;
    const asked = bench.dataset.open.split(" ").filter(Boolean).map(unanswered).find(Boolean);
    const first = asked || blank(".rolls input") || blank("[data-walkable]");
    if (!first) return;
    for (let fold = first.closest("details"); fold; fold = fold.parentElement.closest("details")) fold.open = true;
    first.scrollIntoView({ block: "center" });
    first.focus({ preventScroll: true });
    // The next press is to lead there again.
    window.history.replaceState(null, "", window.location.pathname + window.location.search);
  }
  window.addEventListener("hashchange", lead);
  setTimeout(lead, 0);
}
