// What the outbox decides, tested without a browser: node --test tests/scripts

import assert from "node:assert/strict";
import { test } from "node:test";
import { batch, left, replaces, say, summary, timeKey } from "../../rectaxis/static/rectaxis/outbox-rules.js";

const me = { job: "j1", person: "mara" };
const item = (id, more = {}) => ({ id, url: "/jobs/j1/entries/", slot: "s", typed: "1", replaces: [], name: "Mara Tolland", ...me, ...more });

test("a key is a UUID of version 7 that carries the device's time, whatever that is", () => {
  for (const now of [0, 1, Date.UTC(2026, 10, 25), 2 ** 48 - 1]) {
    const key = timeKey(now, new Uint8Array(16).fill(255));
    assert.match(key, /^[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
    assert.equal(Number.parseInt(key.replaceAll("-", "").slice(0, 12), 16), now);
  }
  assert.notEqual(timeKey(5), timeKey(5));
});

test("a save replaces what its person saw and what this device typed there before, and nothing of others", () => {
  const items = [item("a", { replaces: ["seen-1"] }), item("b", { slot: "other" }), item("c", { person: "orla" }), item("d", { job: "j2" })];
  assert.deepEqual(replaces(items, { ...me, slot: "s" }, "seen-2"), ["seen-2", "a", "seen-1"]);
  assert.deepEqual(replaces([], { ...me, slot: "s" }, undefined), []);
});

test("only a person's own saves go out, this job's first, one address at a time, without the refused", () => {
  const items = [item("x", { job: "j2", url: "/jobs/j2/entries/" }), item("a"), item("b", { refused: "why" }), item("c", { person: "orla" }), item("d")];
  assert.deepEqual(batch(items, me).map(({ id }) => id), ["a", "d"]);
  assert.deepEqual(batch(items.slice(0, 1), me).map(({ id }) => id), ["x"]);
  assert.deepEqual(batch([items[3]], me), []);
  assert.equal(batch(Array.from({ length: 250 }, (_, n) => item(`n${n}`)), me).length, 100);
});

test("what the server has leaves, what it refused stays with the reason, what it did not answer stays", () => {
  const sent = [item("a"), item("b"), item("c"), item("d")];
  const rest = left(sent, [{ id: "a", status: "saved" }, { id: "b", status: "refused", text: "off the scale" }, { id: "d", status: "other counts" }]);
  assert.deepEqual(rest.map(({ id, refused }) => [id, refused]), [["b", "off the scale"], ["c", undefined]]);
});

test("saved is said only when nothing is waiting or refused, and other people's are counted beside it", () => {
  const said = (items, more) => say(summary(items, me), more);
  assert.equal(said([], { sentAt: "10:42" }), "saved 10:42");
  assert.equal(said([]), "");
  assert.equal(said([item("a")], { sentAt: "10:42" }), "1 not sent yet, kept on this device");
  assert.equal(said([item("a", { refused: "x" })], { sentAt: "10:42" }), "1 refused, not on the record");
  assert.equal(said([item("a")], { why: "signed out" }), "1 not sent: sign in again; kept on this device");
  assert.equal(said([item("a", { job: "j2" })], { sentAt: "10:42" }), "saved 10:42 · 1 of another job not sent yet");
  assert.equal(said([item("a", { person: "orla", name: "Orla Fenn" })], { sentAt: "10:42" }), "saved 10:42 · 1 of Orla Fenn wait for their sign-in");
});
