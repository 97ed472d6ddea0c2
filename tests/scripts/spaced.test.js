// Work that is asked for often: at once, not too often, and never left out at the end.
import assert from "node:assert/strict";
import { test } from "node:test";
import { setTimeout as after } from "node:timers/promises";

import { spaced } from "../../rectaxis/static/rectaxis/spaced.js";

test("the first is done at once, those that follow soon are done together later, and one that comes late at once again", async () => {
  let done = 0;
  const ask = spaced(() => { done += 1; }, 60);
  ask();
  assert.equal(done, 1);
  ask();
  ask();
  assert.equal(done, 1);
  await after(200);
  assert.equal(done, 2);
  ask();
  assert.equal(done, 3);
});
