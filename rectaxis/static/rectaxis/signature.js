// A signature is drawn in a field with a finger, a pen or a mouse; what is drawn goes with its form, as shares of the field.

export function startSignatures(bench) {
  const linesOf = (pad) => JSON.parse(pad.closest("form").elements.strokes.value || "[]");

  function put(pad, lines) {
    const { width, height } = pad.viewBox.baseVal;
    const path = lines.map((line) => `M${line.map(([x, y]) => `${x * width} ${y * height}`).join("L")}`).join("");
    pad.querySelector("path").setAttribute("d", path);
    pad.closest("form").elements.strokes.value = JSON.stringify(lines);
  }
  function at(pad, event) {
    const { width, height } = pad.viewBox.baseVal;
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(pad.getScreenCTM().inverse());
    return [point.x / width, point.y / height].map((share) => Math.round(1000 * Math.min(1, Math.max(0, share))) / 1000);
  }

  bench.addEventListener("pointerdown", (event) => {
    const pad = event.target.closest("[data-signature]");
    if (!pad) return;
    event.preventDefault();
    pad.setPointerCapture(event.pointerId);
    put(pad, [...linesOf(pad), [at(pad, event)]]);
  });
  bench.addEventListener("pointermove", (event) => {
    const pad = event.target.closest?.("[data-signature]");
    if (!pad?.hasPointerCapture(event.pointerId)) return;
    const lines = linesOf(pad);
    lines.at(-1).push(at(pad, event));
    put(pad, lines);
  });
  bench.addEventListener("click", (event) => {
    if (event.target.matches("[data-signature-clear]")) put(event.target.closest("form").querySelector("[data-signature]"), []);
  });
}
