// The drawing as the vehicle stands now, by the devices: wheels, lines and strips. The server works it out and says where each
// thing stands; here it is put there, again after each refresh, which draws what is on the record.

const SVG = "http://www.w3.org/2000/svg";
const STALE_MS = 3000;
const VERDICTS = ["inside", "outside", "undecided", "undetermined"];

export function startDrawing(bench) {
  const last = { wheels: {}, lines: {}, strips: {} };
  const word = bench.querySelector("[data-live-drawn]");
  let told = 0;

  function put() {
    if (!told) return;
    for (const [name, turn] of Object.entries(last.wheels)) {
      for (const part of bench.querySelectorAll(`[data-wheel="${CSS.escape(name)}"]`)) {
        part.dataset.turn = turn;
        part.classList.remove("unknown");
      }
    }
    for (const [kind, [turn, label, ...places]] of Object.entries(last.lines)) {
      if (!bench.querySelector(`[data-line="${kind}"]`)) addLine(bench, kind, places);
      for (const part of bench.querySelectorAll(`[data-line="${kind}"]`)) part.dataset.turn = turn;
      for (const part of bench.querySelectorAll(`[data-line-name="${kind}"]`)) {
        part.dataset.turned = turn;
        part.textContent = label;
      }
    }
    for (const [path, strip] of Object.entries(last.strips)) {
      const box = bench.querySelector(`[data-strip="${CSS.escape(path)}"]`);
      if (box) move(bench, box, strip);
    }
    document.dispatchEvent(new CustomEvent("rx:enlarge"));
    document.dispatchEvent(new CustomEvent("rx:drawn", { detail: last.strips }));
  }

  // What is no longer told is no longer shown: the next refresh draws what is on the record.
  setInterval(() => {
    if (!told || performance.now() - told < STALE_MS) return;
    told = 0;
    if (word) word.hidden = true;
    document.dispatchEvent(new CustomEvent("rx:drawn", { detail: {} }));
    // What is drawn is no longer what the server gave this page, though nothing was added.
    document.getElementById("seen").value = "";
    document.body.dispatchEvent(new CustomEvent("rx:saved"));
  }, STALE_MS / 3);
  document.body.addEventListener("htmx:after:swap", () => setTimeout(put, 0));

  // What is wrong with a wheel stands beside it, in words, and outlines it; two that hang on each other's wheels are crossed.
  let wrong = [];
  function flag() {
    for (const svg of bench.querySelectorAll("#plan-solved, .plan-still")) flagOn(svg, wrong);
  }
  document.body.addEventListener("htmx:after:swap", () => setTimeout(flag, 0));

  return {
    trouble(all) {
      wrong = all.filter(({ axle, short }) => axle && short);
      flag();
    },
    show({ wheels = {}, lines = {}, strips = {} }) {
      Object.assign(last.wheels, wheels);
      Object.assign(last.lines, lines);
      Object.assign(last.strips, strips);
      told = performance.now();
      if (word) word.hidden = false;
      put();
    },
  };
}

const add = (svg, kind, given) => {
  const made = svg.appendChild(document.createElementNS(SVG, kind));
  for (const [name, value] of Object.entries(given)) made.setAttribute(name, value);
  return made;
};

function flagOn(svg, wrong) {
  const wanted = wrong.map(({ axle, side, short }) => `${axle}/${side} ${short}`).join(", ");
  if ((svg.dataset.trouble || "") === wanted && svg.querySelectorAll(".trouble-word").length === wrong.length) return;
  svg.dataset.trouble = wanted;
  for (const old of svg.querySelectorAll(".trouble-word, .crossed")) old.remove();
  for (const wheel of svg.querySelectorAll("[data-wheel]")) wheel.classList.remove("in-trouble");
  const wheelOf = ({ axle, side }) => svg.querySelector(`[data-wheel="${axle}/${side}"]`);
  const swapped = wrong.filter(({ code }) => code === "swapped").map(wheelOf);
  if (swapped.length === 2 && swapped.every(Boolean)) {
    const [[x1, y1], [x2, y2]] = swapped.map(({ dataset }) => [Number(dataset.x), Number(dataset.y)]);
    const along = Math.abs(x1 - x2) > Math.abs(y1 - y2);
    for (const off of [-9, 9]) {
      const [dx, dy] = along ? [0, off] : [off, 0];
      add(svg, "path", { class: "crossed", d: `M${x1 + dx} ${y1 + dy}L${x2 - dx} ${y2 - dy}` });
    }
  }
  for (const one of wrong) {
    const wheel = wheelOf(one);
    if (!wheel) continue;
    wheel.classList.add("in-trouble");
    add(svg, "text", { class: "trouble-word", x: Number(wheel.dataset.x) + 58, y: Number(wheel.dataset.y) + 5 }).textContent = one.short;
  }
}

// A line that the record does not tell yet: as the drawing's own template has it.
function addLine(bench, kind, [x, namesX, labelY]) {
  const svg = bench.querySelector("#plan-solved");
  if (!svg) return;
  const line = svg.appendChild(document.createElementNS(SVG, "g"));
  line.setAttribute("class", `line ${kind}`);
  Object.assign(line.dataset, { line: kind, x, y: 256, turn: 0 });
  line.appendChild(document.createElementNS(SVG, "path")).setAttribute("d", `M20 256H${svg.viewBox.baseVal.width - 20}`);
  const name = svg.appendChild(document.createElementNS(SVG, "text"));
  name.setAttribute("class", `line-name ${kind}`);
  name.setAttribute("x", namesX);
  name.setAttribute("y", labelY);
  Object.assign(name.dataset, { lineName: kind, turned: 0, about: x });
}

function move(bench, box, [dot, low, high, verdict, text, said, doubt]) {
  const svg = box.querySelector("svg");
  if (!box.classList.contains(verdict)) box.classList.remove(...VERDICTS);
  box.classList.add(verdict, "moves");
  const whisker = svg.querySelector(".s-whisker") || svg.appendChild(document.createElementNS(SVG, "path"));
  whisker.setAttribute("class", "s-whisker");
  whisker.setAttribute("d", `M${low} 9v10M${low} 14H${high}M${high} 9v10`);
  whisker.setAttribute("fill", "none");
  const place = svg.querySelector("g") || svg.appendChild(document.createElementNS(SVG, "g"));
  if (place.dataset.dot !== verdict) {
    place.dataset.dot = verdict;
    place.replaceChildren(...[...bench.querySelector(`[data-glyph="${verdict}"]`).children].map((part) => part.cloneNode(true)));
  }
  place.setAttribute("transform", `translate(${dot} 14)`);
  const words = box.querySelector(".strip-text");
  words.querySelector("b").textContent = text;
  words.querySelector(".word").textContent = said;
  const small = words.querySelector("small") || words.appendChild(document.createElement("small"));
  small.textContent = ` \u00b1 ${doubt}`;
  for (const bracket of svg.querySelectorAll(".s-bracket")) bracket.removeAttribute("stroke-dasharray");
  svg.setAttribute("aria-label", `${box.querySelector(".strip-label").textContent}: ${text}, ${said}`);
}
