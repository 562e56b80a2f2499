// The browser's little arithmetic against vectors computed by core/geometry (tests/core/test_vectors.py writes them).
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { coveringWindow, moved, pulled, scaled, whole } from "../../src/lucidex/web/shell/js/window_math.js";

const vectors = JSON.parse(readFileSync(new URL("./vectors.json", import.meta.url), "utf8"));

test("covering windows agree with the core", () => {
  for (const { picture, place, window } of vectors.covering) {
    const found = coveringWindow(picture, place);
    assert.ok(Math.abs(found.width - window.width) < 1e-6 && Math.abs(found.height - window.height) < 1e-6);
  }
});

test("moved windows are held inside as the core holds them", () => {
  for (const { picture, window, dx, dy, result } of vectors.moved) {
    const found = moved(window, dx, dy, picture);
    assert.ok(Math.abs(found.left - result.left) < 1e-6 && Math.abs(found.top - result.top) < 1e-6);
  }
});

test("pulling keeps the shape and stays inside", () => {
  const picture = { width: 600, height: 400 }, from = { left: 100, top: 100, width: 160, height: 90 };
  for (const grip of ["left top", "right top", "left bottom", "right bottom"]) {
    for (const to of [{ x: -50, y: -50 }, { x: 700, y: 20 }, { x: 150, y: 390 }, { x: 300, y: 300 }]) {
      const found = pulled(from, grip, to, picture, [16, 9]);
      assert.ok(Math.abs(found.width / found.height - 16 / 9) < 1e-9);
      assert.ok(found.left >= -1e-9 && found.top >= -1e-9);
      assert.ok(found.left + found.width <= 600 + 1e-9 && found.top + found.height <= 400 + 1e-9);
    }
  }
});

test("a free pull moves one edge only", () => {
  const found = pulled({ left: 10, top: 10, width: 50, height: 50 }, "right", { x: 90, y: 5 }, { width: 100, height: 100 }, null);
  assert.deepEqual(found, { left: 10, top: 10, width: 80, height: 50 });
});

test("growing stops at the picture's edge", () => {
  const found = scaled({ left: 90, top: 40, width: 100, height: 50 }, 100, { width: 200, height: 120 });
  assert.ok(Math.abs(found.width - 200) < 1e-9 && Math.abs(found.height - 100) < 1e-9 && found.left === 0);
});

test("whole pixels: the size first, then the origin", () => {
  assert.deepEqual(whole({ left: 99.6, top: -0.4, width: 0.2, height: 100.5 }, { width: 100, height: 100 }), { width: 1, height: 100, left: 99, top: 0 });
});
