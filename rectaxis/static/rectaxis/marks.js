// Damage is marked by tapping the outline, or by choosing a place in words.

export function startMarks(bench) {
  function place(x, y) {
    const form = bench.querySelector(".mark-form");
    form.elements.x.value = x.toFixed(4);
    form.elements.y.value = y.toFixed(4);
    const ring = bench.querySelector("[data-mark-new]");
    const box = ring.ownerSVGElement.viewBox.baseVal;
    ring.setAttribute("cx", box.x + x * box.width);
    ring.setAttribute("cy", box.y + y * box.height);
    ring.setAttribute("visibility", "visible");
  }

  bench.addEventListener("click", (event) => {
    const outline = event.target.closest("[data-mark-here]");
    if (!outline) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(outline.getScreenCTM().inverse());
    const box = outline.viewBox.baseVal;
    place((at.x - box.x) / box.width, (at.y - box.y) / box.height);
    bench.querySelector("[data-mark-where]").value = "";
    bench.querySelector("#mark-what").focus();
  });
  bench.addEventListener("change", (event) => {
    if (event.target.matches("[data-mark-where]") && event.target.value) place(...event.target.value.split(" ").map(Number));
  });
  // Not reached, or not taken: what was typed stays in the form.
  for (const name of ["htmx:error", "htmx:response:error"]) {
    document.body.addEventListener(name, (event) => {
      const said = event.target.querySelector?.("[data-not-sent]");
      if (said && event.detail.ctx?.response?.raw?.status !== 422) said.hidden = false;
    });
  }
}
