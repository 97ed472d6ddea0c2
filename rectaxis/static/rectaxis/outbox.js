// What was typed waits here, in the browser's own store, until the server says that it has it.
// Each save carries a key made here (UUID version 7), so that sending it twice is harmless and the newest wins.

const STORE = "rectaxis-outbox";
const AGAIN_MS = 3000;
let clockOffset = 0;
let lastMs = 0;

export function timeKey() {
  // Two keys of one millisecond would have no order: each key is at least a millisecond after the one before.
  lastMs = Math.max(lastMs + 1, Date.now() + clockOffset);
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  for (let i = 0, left = lastMs; i < 6; i += 1, left = Math.floor(left / 256)) bytes[5 - i] = left % 256;
  bytes[6] = 0x70 | (bytes[6] & 0x0f);
  bytes[8] = 0x80 | (bytes[8] & 0x3f);
  const hex = Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

// Answers that will be the same next time: asking again would hold up everything behind.
const FINAL = new Map([[400, "The server could not read this save; reload the page and type it again."],
  [404, "This job is no longer there; what was typed stays here until it is cleared."],
  [413, "This is too long to save."]]);

function load() {
  try {
    return JSON.parse(localStorage.getItem(STORE) || "[]");
  } catch {
    return [];
  }
}
const store = (items) => localStorage.setItem(STORE, JSON.stringify(items));

export function startOutbox(bench) {
  const job = bench.dataset.job;
  const listeners = [];
  let sending = false;
  let timer = 0;

  const waiting = () => load().filter((item) => !item.refused);
  const mine = () => load().filter((item) => item.job === job);
  const tell = (event) => listeners.forEach((listener) => listener(event));

  function put(slot, typed) {
    const item = { job, url: bench.dataset.entries, id: timeKey(), slot, typed };
    store([...load().filter((old) => old.job !== job || old.slot !== slot), item]);
    tell({ kind: "typed", slot, typed });
    flush();
  }

  async function flush() {
    if (sending) return;
    const items = waiting();
    if (!items.length) return;
    sending = true;
    const url = items.some((item) => item.job === job) ? bench.dataset.entries : items[0].url;
    const batch = items.filter((item) => item.url === url).slice(0, 100);
    try {
      const body = JSON.stringify({ entries: batch.map(({ id, slot, typed }) => ({ id, slot, typed })) });
      const token = document.querySelector('meta[name="csrf-token"]').content;
      const answer = await fetch(url, { method: "POST", body, headers: { "Content-Type": "application/json", "X-CSRFToken": token } });
      if (FINAL.has(answer.status)) {
        settle(batch, batch.map(({ id }) => ({ id, status: "refused", text: FINAL.get(answer.status) })));
        sending = false;
        if (waiting().length) flush();
        return;
      }
      if (answer.redirected || !(answer.headers.get("Content-Type") || "").includes("json")) throw new Error(answer.redirected || answer.status === 403 ? "signed out" : "no answer");
      const { results, server_ms: serverMs } = await answer.json();
      clockOffset = serverMs - Date.now();
      settle(batch, results);
      sending = false;
      if (waiting().length) flush();
    } catch (error) {
      sending = false;
      tell({ kind: "held", count: waiting().length, why: error.message });
      clearTimeout(timer);
      timer = setTimeout(flush, AGAIN_MS);
    }
  }

  function settle(batch, results) {
    const byId = new Map(results.map((result) => [result.id, result]));
    store(load().flatMap((item) => {
      const result = byId.get(item.id);
      if (!result) return [item];
      return result.status === "saved" ? [] : [{ ...item, refused: result.text }];
    }));
    for (const item of batch) {
      const result = byId.get(item.id);
      if (result && item.job === job) tell({ kind: result.status, slot: item.slot, typed: item.typed, text: result.text });
    }
    tell({ kind: "sent", count: waiting().length });
    document.body.dispatchEvent(new CustomEvent("rx:saved"));
  }

  window.addEventListener("online", flush);
  setTimeout(flush, 0);
  return { put, mine, listen: (listener) => listeners.push(listener) };
}
