// The scripts' modules: what each is, and that none waits for itself.
import assert from "node:assert/strict";
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { test } from "node:test";
import { fileURLToPath } from "node:url";

const WEB = resolve(dirname(fileURLToPath(import.meta.url)), "../../src/lucidex/web");
const MODULES = readdirSync(WEB, { recursive: true }).map(String).filter((path) => /(^|\/)js\/[a-z_]+\.js$/.test(path));
const text = (/** @type {string} */ path) => readFileSync(join(WEB, path), "utf8");

/** What a module names, at its head or when it is needed; types alone do not count. @param {string} path @returns {string[]} */
function named(path) {
  const code = text(path).replaceAll(/\/\*\*[\s\S]*?\*\//g, "");
  const found = [...code.matchAll(/^import .*"(\.[^"]+)";$/gm), ...code.matchAll(/import\("(\.[^"]+)"\)/g)];
  return found.map((one) => relative(WEB, resolve(WEB, dirname(path), one[1])));
}

test("no module leads back to itself", () => {
  assert.ok(MODULES.length > 30);
  for (const start of MODULES) {
    const seen = new Set(), waiting = named(start);
    for (let next = waiting.pop(); next; next = waiting.pop()) {
      assert.notEqual(next, start, `${start} leads back to itself`);
      if (!seen.has(next)) waiting.push(...named(next));
      seen.add(next);
    }
  }
});

test("what every page has names nothing of a view, and no view anything of another", () => {
  for (const path of MODULES) {
    const room = path.split("/").slice(0, path.startsWith("views/") ? 2 : 1).join("/");
    for (const other of named(path)) assert.ok(other.startsWith("shell/") || other.startsWith(`${room}/`), `${path} names ${other}`);
  }
});

test("every module says at its head what it is for", () => {
  for (const path of MODULES) assert.match(text(path), /^\/\/ [A-Z].{20}/, path);
});
