// What the outbox decides, without the browser: which key a save has, what it replaces, what is sent when and for whom.

const MOST_AT_ONCE = 100;

// A UUID of version 7. It recognises a repeat; the server gives the order.
export function timeKey(now = Date.now(), random = crypto.getRandomValues(new Uint8Array(16))) {
  const bytes = Uint8Array.from(random);
  for (let i = 5, left = Math.max(0, now); i >= 0; i -= 1, left = Math.floor(left / 256)) bytes[i] = left % 256;
  bytes[6] = 0x70 | (bytes[6] & 0x0f);
  bytes[8] = 0x80 | (bytes[8] & 0x3f);
  const hex = Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

// A save replaces the entry that its person saw, and whatever this device typed in the slot before.
export function replaces(items, { job, person, slot }, seen) {
  const mine = items.filter((item) => item.job === job && item.person === person && item.slot === slot);
  const named = mine.flatMap((item) => [item.id, ...item.replaces]);
  return [...new Set([...(seen ? [seen] : []), ...named])];
}

// What still has to go out for a person, this job's first: one address at a time.
export function batch(items, { person, job }) {
  const waiting = items.filter((item) => item.person === person && !item.refused);
  const first = waiting.find((item) => item.job === job) || waiting[0];
  return first ? waiting.filter((item) => item.url === first.url).slice(0, MOST_AT_ONCE) : [];
}

// What is left of a batch once the server has answered: the refused with their reason. What it did not answer stays.
export function left(sent, results) {
  const byId = new Map(results.map((result) => [result.id, result]));
  return sent.flatMap((item) => {
    const result = byId.get(item.id);
    if (!result) return [item];
    return result.status === "refused" ? [{ ...item, refused: result.text }] : [];
  });
}

// How much is not on the server: of this person's in this job, and of other people's on this device.
export function summary(items, { person, job }) {
  const mine = items.filter((item) => item.person === person);
  const here = mine.filter((item) => item.job === job);
  const others = items.filter((item) => item.person !== person);
  return {
    waiting: here.filter((item) => !item.refused).length,
    refused: here.filter((item) => item.refused).length,
    elsewhere: mine.filter((item) => item.job !== job && !item.refused).length,
    others: others.length,
    names: [...new Set(others.map((item) => item.name))],
  };
}

// What the head of the page says; empty where there is nothing to say.
export function say(state, { sentAt = "", why = "" } = {}) {
  const parts = [];
  const unsent = why === "signed out" ? "not sent: sign in again; kept on this device" : "not sent yet, kept on this device";
  if (state.waiting) parts.push(`${state.waiting} ${unsent}`);
  if (state.refused) parts.push(`${state.refused} refused, not on the record`);
  if (!parts.length && sentAt) parts.push(`saved ${sentAt}`);
  if (state.elsewhere) parts.push(`${state.elsewhere} of another job not sent yet`);
  if (state.others) parts.push(`${state.others} of ${state.names.join(" and ")} wait for their sign-in`);
  return parts.join(" · ");
}
