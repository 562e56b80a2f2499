// Moments in words, in the zone of whoever looks.
import assert from "node:assert/strict";
import { test } from "node:test";
import { inWords } from "../../src/lucidex/web/shell/js/times.js";

test("days are counted by midnights of the person's own zone", () => {
  const now = new Date(2026, 10, 26, 0, 5);
  assert.equal(inWords(new Date(2026, 10, 26, 0, 1), now), "today, 00:01");
  assert.equal(inWords(new Date(2026, 10, 25, 23, 59), now), "yesterday, 23:59");
  assert.equal(inWords(new Date(2026, 10, 24, 14, 5), now), "24 November, 14:05");
  assert.equal(inWords(new Date(2025, 11, 31, 9, 7), now), "31 December 2025, 09:07");
});

test("a change of the clocks in between is no other day", () => {
  assert.equal(inWords(new Date(2026, 2, 28, 23, 0), new Date(2026, 2, 29, 22, 0)), "yesterday, 23:00");
});
