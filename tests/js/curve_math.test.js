// The curve that the browser draws against heights computed by core/tone/curves, and what is typed and drawn.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { along, evened, pointsOf, typed } from "../../src/lucidex/web/views/bench/js/curve_math.js";

const vectors = JSON.parse(readFileSync(new URL("./vectors.json", import.meta.url), "utf8"));

test("curves agree with the core", () => {
  for (const { points, places, heights } of vectors.curves) {
    along(points, places).forEach((height, i) => assert.ok(Math.abs(height - heights[i]) < 1e-9));
  }
});

test("points survive being typed", () => {
  assert.deepEqual(pointsOf("0:0 25,5:20 100:100"), [[0, 0], [0.255, 0.2], [1, 1]]);
  assert.equal(typed(pointsOf("0:0 25.5:20 100:100")), "0:0 25.5:20 100:100");
  assert.deepEqual(pointsOf(""), [[0, 0], [1, 1]]);
});

test("a drawn line is evened, and what was not drawn stays", () => {
  const drawn = Array.from({ length: 50 }, (_, i) => [0.4 + (0.2 * i) / 49, 0.9]);
  const points = evened(drawn, [[0, 0], [1, 1]], 33);
  assert.equal(points.length, 33);
  assert.ok(points.every(([x], i) => !i || x > points[i - 1][0]));
  assert.ok(points.filter(([x]) => x > 0.42 && x < 0.58).every(([, y]) => Math.abs(y - 0.9) < 1e-9));
  assert.ok(points.filter(([x]) => x < 0.39).every(([x, y]) => Math.abs(x - y) < 1e-9));
});
