// What was typed waits here, in the browser's own database, until the server says that it has it.
// Each item belongs to the person who typed it, and is sent under that person's name alone.
import { openDB } from "../vendor/idb/idb.js";
import { batch, left, replaces, say, summary, timeKey } from "./outbox-rules.js";
import { spaced } from "./spaced.js";

const STORE = "outbox";
const LATE = "rectaxis-late";
const EARLIER = "rectaxis-outbox";
const FROM_BEFORE = "Kept here since before an update of this program, by nobody's name: look at it, and press Enter to save it.";
const AGAIN_MS = 3000;
const ANSWER_MS = 20000;
const LONGEST_WAIT_MS = 15000;
const REFRESH_MS = 600; // between two refreshes: numbers that come faster share one

// Answers that will be the same next time: asking again would hold up everything behind.
const FINAL = new Map([[400, "The server could not read this save; reload the page and type it again."],
  [404, "This job is no longer there; what was typed stays here until it is cleared."],
  [413, "This is too long to save."]]);

const database = openDB("rectaxis", 1, { upgrade: (made) => made.createObjectStore(STORE, { keyPath: "id" }) });

function itemsIn(name) {
  try {
    return JSON.parse(localStorage.getItem(name) || "[]");
  } catch {
    return [];
  }
}
// What a page that was left had not yet stored.
const lateItems = () => itemsIn(LATE);
// An earlier version kept no names: what it left here is shown, and not sent under anybody's.
const earlierItems = () => itemsIn(EARLIER);

// Where a browser has no locks (a page that came without encryption), a server that knows repeats is lock enough.
const alone = (work) => (navigator.locks ? navigator.locks.request("rectaxis-outbox", work) : work());

export function startOutbox(bench) {
  const { job, person, name, entries: url } = bench.dataset;
  const me = { job, person };
  const listeners = [];
  const storing = new Map(); // typed, and not yet in the database
  let items = []; // what the database holds, as last read
  let timer = 0;
  let why = "";
  let sentAt = "";
  let later = null; // keys of what is typed while a move or a seal waits for what was typed before it

  // What follows is drawn anew at once for a single number, and once for many that are saved one after the other.
  const refresh = spaced(() => document.body.dispatchEvent(new CustomEvent("rx:saved")), REFRESH_MS);
  const tell = (event) => { for (const listener of listeners) listener(event); };
  const known = () => [...new Map([...items, ...storing.values()].map((item) => [item.id, item])).values()];
  const mine = () => known().filter((item) => item.job === job && item.person === person);

  async function read() {
    items = await (await database).getAll(STORE);
  }

  async function store(item, replaced) {
    storing.set(item.id, item);
    const writing = (await database).transaction(STORE, "readwrite");
    for (const old of replaced) writing.store.delete(old.id);
    writing.store.put(item);
    await writing.done;
    await read();
    storing.delete(item.id);
  }

  function put(slot, typed, seen, taken) {
    const older = mine().filter((item) => item.slot === slot);
    const item = { id: timeKey(), url, ...me, name, slot, typed, taken, replaces: replaces(known(), { ...me, slot }, seen) };
    later?.add(item.id);
    tell({ kind: "typed", slot, typed });
    items = items.filter((old) => !older.includes(old));
    store(item, older).then(flush);
    state();
  }

  function state() {
    tell({ kind: "state", text: say(summary(known(), me), { sentAt, why }), held: Boolean(summary(known(), me).waiting && why), ...summary(known(), me) });
  }

  // One tab at a time sends: the others find the database emptied.
  const flush = () => alone(async () => {
    await read();
    const now = () => batch(items.filter((item) => !later?.has(item.id)), me);
    for (let sent = now(); sent.length; sent = now()) {
      if (!(await send(sent))) break;
    }
    state();
  });

  async function send(sent) {
    try {
      const results = await post(sent);
      why = "";
      sentAt = new Date().toTimeString().slice(0, 5);
      await settle(sent, results);
      return true;
    } catch (error) {
      why = error.message;
      for (const item of sent) if (item.job === job) tell({ kind: "held", slot: item.slot });
      clearTimeout(timer);
      timer = setTimeout(flush, AGAIN_MS);
      return false;
    }
  }

  async function post(sent) {
    const body = JSON.stringify({ entries: sent.map(({ id, slot, typed, taken, replaces: seen }) => ({ id, slot, typed, taken, replaces: seen })) });
    const token = document.querySelector('meta[name="csrf-token"]').content;
    const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
    const signal = AbortSignal.timeout(ANSWER_MS);
    const answer = await fetch(sent[0].url, { method: "POST", body, headers, signal });
    if (FINAL.has(answer.status)) return sent.map(({ id }) => ({ id, status: "refused", text: FINAL.get(answer.status) }));
    const signedOut = answer.redirected || answer.status === 403;
    if (signedOut || !(answer.headers.get("Content-Type") || "").includes("json")) throw new Error(signedOut ? "signed out" : "no answer");
    return (await answer.json()).results;
  }

  async function settle(sent, results) {
    const rest = left(sent, results);
    const writing = (await database).transaction(STORE, "readwrite");
    for (const item of sent) writing.store.delete(item.id);
    for (const item of rest) writing.store.put(item);
    await writing.done;
    await read();
    const bySent = new Map(sent.map((item) => [item.id, item]));
    for (const result of results) {
      const item = bySent.get(result.id);
      if (item?.job === job) {
        const { status: kind, text, counts, entry, sequence } = result;
        tell({ kind, slot: item.slot, typed: item.typed, text, counts, entry, sequence });
      }
    }
    refresh();
  }

  // What of this job is not on the server, after trying for a while. What is typed meanwhile comes after what waits here:
  // it is held back until the next page, or until nothing waits any more.
  async function settled() {
    const until = Date.now() + LONGEST_WAIT_MS;
    later = later || new Set();
    for (;;) {
      await flush();
      const now = summary(known().filter((item) => !later.has(item.id)), me);
      if (!now.waiting && !now.refused) return now;
      if (why || Date.now() > until || !now.waiting) {
        later = null;
        return now;
      }
      await new Promise((resolve) => { setTimeout(resolve, 50); });
    }
  }

  async function begin() {
    for (const item of lateItems()) await store(item, []);
    localStorage.removeItem(LATE);
    for (const item of earlierItems()) await store({ ...item, person, name, replaces: [], refused: item.refused || FROM_BEFORE }, []);
    localStorage.removeItem(EARLIER);
    await read();
    for (const item of mine()) tell({ kind: item.refused ? "refused" : "held", slot: item.slot, typed: item.typed, text: item.refused, again: true });
    document.dispatchEvent(new CustomEvent("rx:held", { detail: mine().map(({ slot }) => slot) }));
    state();
    await flush();
  }

  window.addEventListener("online", flush);
  // A database's last writes are dropped with the page that made them: these are kept where they are kept at once.
  window.addEventListener("pagehide", () => {
    if (storing.size) localStorage.setItem(LATE, JSON.stringify([...lateItems(), ...storing.values()]));
  });
  return { put, mine, settled, begin, listen: (listener) => listeners.push(listener) };
}
