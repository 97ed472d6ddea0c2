// The time line: a visit is moved by pointer or keys. Whose day and when go into the panel's form; the server says what that does to the rest.
const board = document.querySelector("[data-rounds]");
const STEP_MIN = 5, KEY_STEP_MIN = 15, ASK_MS = 180;

function geometry() {
  const svg = board.querySelector("svg");
  const { begins, scale, left, top, row } = board.dataset;
  const rows = [...svg.querySelectorAll("[data-row]")];
  return { svg, rows, begins: Number(begins), scale: Number(scale), left: Number(left), top: Number(top), row: Number(row) };
}

function clock(minutes) {
  return `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
}

// What is being moved: from where, to which row and minute, and whether the server has answered for that.
let hand = null;

function show() {
  const { svg, left, begins, scale, top, row } = geometry();
  const ghost = svg.querySelector("[data-ghost]");
  ghost.setAttribute("x", left + (hand.minute - begins) * scale);
  ghost.setAttribute("y", top + hand.at * row + 4);
  ghost.setAttribute("width", hand.width);
  clearTimeout(hand.asking);
  hand.asking = setTimeout(ask, ASK_MS);
}

function fill() {
  const form = document.querySelector("[data-move-form]");
  if (!form || !hand || hand.form !== form) return null;
  const row = geometry().rows[hand.at];
  form.elements.technician.value = row.dataset.row;
  form.elements.day.value = row.dataset.day;
  form.elements.time.value = clock(hand.minute);
  return form;
}

function ask() {
  const form = fill();
  if (form) form.querySelector(".move-fields").dispatchEvent(new CustomEvent("rx:moved", { bubbles: false }));
}

async function take(key, at, minute, width) {
  const mine = { key, at, minute, width, moved: false, form: null };
  hand = mine;
  await openPanel(key);
  if (hand === mine) {
    mine.form = document.querySelector("[data-move-form]");
    if (mine.moved) ask();
  }
}

async function openPanel(key) {
  const panel = document.querySelector("#move");
  const answer = await fetch(board.dataset.move.replace("KEY", key), { headers: { "HX-Request": "true" } });
  panel.innerHTML = answer.ok ? await answer.text() : "<p class=\"refusal\">This cannot be shown now. Reload the page.</p>";
  window.htmx.process(panel);
}

function letGo() {
  board.querySelector("[data-ghost]").setAttribute("width", 0);
  for (const block of board.querySelectorAll(".in-hand")) block.classList.remove("in-hand");
  if (hand) clearTimeout(hand.asking);
  hand = null;
}

// Dropped: it goes there where the server has said that it fits; else the panel says why not, and asks.
function drop() {
  const form = fill();
  const fits = document.querySelector("#preview [data-possible]")?.dataset.possible === "yes";
  const answered = hand?.answered === `${hand?.at} ${hand?.minute}`;
  letGo();
  if (!form) return;
  if (fits && answered) form.requestSubmit();
  else form.scrollIntoView({ block: "nearest" });
}

function point(event) {
  const { svg } = geometry();
  const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return spot;
}

function place(event) {
  const { left, begins, scale, top, row, rows } = geometry();
  const spot = point(event);
  const minute = begins + (spot.x - left - hand.grip) / scale;
  hand.minute = Math.min(Math.max(Math.round(minute / STEP_MIN) * STEP_MIN, begins), 24 * 60 - STEP_MIN);
  hand.at = Math.min(Math.max(Math.floor((spot.y - top) / row), 0), rows.length - 1);
}

function startBoard() {
  document.addEventListener("pointerdown", (event) => {
    const block = event.target.closest("[data-block], [data-tray]");
    if (!block || event.button !== 0 || event.target.closest("form, .tray-does")) return;
    if (!("moves" in block.dataset || "tray" in block.dataset)) return;
    const { scale } = geometry();
    const rect = block.querySelector("rect");
    const spot = point(event);
    const width = rect ? Number(rect.getAttribute("width")) : Number(block.dataset.minutes) * scale;
    const begin = { x: event.clientX, y: event.clientY };
    const grip = rect ? spot.x - Number(rect.getAttribute("x")) : 0;
    let dragging = false;
    const move = (moved) => {
      if (!dragging && Math.hypot(moved.clientX - begin.x, moved.clientY - begin.y) < 8) return;
      if (!dragging) {
        dragging = true;
        take(block.dataset.block || block.dataset.tray, 0, 0, width);
        hand.grip = grip;
        block.classList.add("in-hand");
      }
      moved.preventDefault();
      hand.moved = true;
      place(moved);
      show();
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      document.removeEventListener("pointerup", up);
      document.removeEventListener("pointercancel", cancel);
      if (!dragging) return;
      // The link under the pointer is not followed after a drag.
      const swallow = (click) => click.preventDefault();
      document.addEventListener("click", swallow, { capture: true });
      setTimeout(() => document.removeEventListener("click", swallow, { capture: true }), 0);
      setTimeout(drop, 2 * ASK_MS + 150);
    };
    const cancel = () => { document.removeEventListener("pointermove", move); document.removeEventListener("pointerup", up); letGo(); };
    document.addEventListener("pointermove", move, { passive: false });
    document.addEventListener("pointerup", up);
    document.addEventListener("pointercancel", cancel);
  });
  // A press opens the panel beside the time line; without this script it is a page of its own.
  document.addEventListener("click", (event) => {
    const link = event.target.closest("[data-block], [data-panel]");
    if (!link || event.defaultPrevented || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    openPanel(link.dataset.block || link.closest("[data-tray]").dataset.tray);
  });
  board.addEventListener("dragstart", (event) => event.preventDefault());
  document.addEventListener("keydown", keys);
  document.addEventListener("htmx:after:swap", () => {
    const said = document.querySelector("#preview [data-possible]");
    if (!hand || !said) return;
    hand.answered = `${hand.at} ${hand.minute}`;
    board.querySelector("[data-ghost]").classList.toggle("cannot", said.dataset.possible !== "yes");
  });
}

const TURNS = { ArrowLeft: [0, -KEY_STEP_MIN], ArrowRight: [0, KEY_STEP_MIN], ArrowUp: [-1, 0], ArrowDown: [1, 0] };

function keys(event) {
  const block = event.target.closest?.("[data-block]");
  if (!block) return;
  if (event.key === "Escape" && hand) { letGo(); return; }
  if (event.key === "Enter" && hand?.moved) { event.preventDefault(); setTimeout(drop, 2 * ASK_MS); return; }
  const turn = TURNS[event.key];
  if (!turn || !("moves" in block.dataset)) return;
  event.preventDefault();
  const { rows, begins, scale, left, top, row } = geometry();
  const rect = block.querySelector("rect");
  if (hand?.key !== block.dataset.block) {
    const minute = begins + (Number(rect.getAttribute("x")) - left) / scale;
    const at = Math.floor((Number(rect.getAttribute("y")) - top) / row);
    take(block.dataset.block, at, Math.round(minute / STEP_MIN) * STEP_MIN, Number(rect.getAttribute("width")));
  }
  hand.moved = true;
  hand.at = Math.min(Math.max(hand.at + turn[0], 0), rows.length - 1);
  hand.minute = Math.min(Math.max(hand.minute + turn[1], begins), 24 * 60 - KEY_STEP_MIN);
  show();
}

// On the map a press fills in where a place lies.
function startMap() {
  const map = document.querySelector("[data-map]");
  const north = document.querySelector("[name=north]"), east = document.querySelector("[name=east]");
  if (!map || !north) return;
  map.dataset.pick = "yes";
  map.addEventListener("click", (event) => {
    const spot = new DOMPoint(event.clientX, event.clientY).matrixTransform(map.getScreenCTM().inverse());
    north.value = (Number(map.dataset.top) - spot.y * Number(map.dataset.north)).toFixed(4);
    east.value = (Number(map.dataset.left) + spot.x * Number(map.dataset.east)).toFixed(4);
    map.querySelector("[data-here]").setAttribute("cx", spot.x);
    map.querySelector("[data-here]").setAttribute("cy", spot.y);
  });
}

if (board) startBoard();
startMap();
