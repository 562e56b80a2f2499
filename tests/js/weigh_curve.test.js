// Curves of weight against likeness: what is read off between measured points.
import assert from "node:assert/strict";
import { test } from "node:test";
import { atWeight, further, nearest, ordered, smoothPath, ticks, weightAt } from "../../src/lucidex/web/views/weigh/js/weigh_curve.js";

const point = (bytes, likeness, quality) => ({ format: "webp", label: "WebP", quality, bytes, weight: "", likeness, words: "", waits: [] });
const CURVE = [point(10_000, 40, 20), point(40_000, 80, 70), point(160_000, 95, 95)];

test("points stand by weight, and of two that weigh the same the better one stays", () => {
  const found = ordered([CURVE[2], CURVE[0], point(40_000, 60, 60), CURVE[1]]);
  assert.deepEqual(found.map((one) => one.likeness), [40, 80, 95]);
});

test("between two points weight is read off by its logarithm, both ways", () => {
  assert.equal(Math.round(atWeight(CURVE, 20_000).likeness), 60);
  assert.equal(Math.round(atWeight(CURVE, 20_000).quality), 45);
  assert.equal(Math.round(weightAt(CURVE, 60)), 20_000);
  for (const likeness of [41, 55, 79, 88]) assert.ok(Math.abs(atWeight(CURVE, weightAt(CURVE, likeness)).likeness - likeness) < 1e-6);
});

test("beyond its ends a curve stays at them", () => {
  assert.equal(atWeight(CURVE, 1).quality, 20);
  assert.equal(atWeight(CURVE, 9e9).likeness, 95);
  assert.equal(weightAt(CURVE, 99), 160_000);
  assert.equal(weightAt(CURVE, 1), 10_000);
});

test("a path goes through all points and never swings beyond them", () => {
  const path = smoothPath([{ x: 0, y: 0 }, { x: 10, y: 50 }, { x: 20, y: 50 }, { x: 90, y: 60 }]);
  const numbers = path.match(/-?[\d.]+/g).map(Number);
  const heights = numbers.filter((_, i) => i % 2 === 1);
  assert.ok(Math.max(...heights) <= 60 && Math.min(...heights) >= 0);
  for (const place of ["0 0", "10 50", "20 50", "90 60"]) assert.ok(path.includes(place));
  assert.equal(smoothPath([{ x: 1, y: 1 }]), "");
});

test("qualities that give no other file are passed over", () => {
  const steps = [2, 5, 7, 9, 100];
  assert.equal(nearest(steps, 6.2), 7);
  assert.equal(further(steps, 7, 1), 9);
  assert.equal(further(steps, 8, -1), 5);
  assert.equal(further(steps, 100, 1), 100);
  assert.equal(further(steps, 2, -9), 2);
});

test("a scale has some six round weights, and never leaves its end", () => {
  for (const most of [900, 37_000, 212_000, 2_400_000]) {
    const found = ticks(most);
    assert.equal(found[0], 0);
    assert.ok(found.length >= 3 && found.length <= 8 && found[found.length - 1] <= most);
  }
});
