// Which place comes next when something is taken by key: it lies ahead, and not far aside.
import assert from "node:assert/strict";
import test from "node:test";

globalThis.document = { addEventListener() {} };
const { nearest } = await import("../src/hand.js");

// box stands in for an element that lies somewhere.
const box = (name, left, top, width = 100, height = 40) => ({ name, getBoundingClientRect: () => ({ left, top, width, height }) });

const grid = [box("a1", 0, 0), box("b1", 120, 0), box("c1", 240, 0), box("a2", 0, 60), box("b2", 120, 60), box("tall", 360, 0, 100, 400)];
const at = (name) => grid.find((b) => b.name === name);

for (const [from, step, want] of [
  ["a1", [1, 0], "b1"], ["b1", [-1, 0], "a1"], ["a1", [0, 1], "a2"], ["b2", [0, -1], "b1"], ["a1", [-1, 0], undefined], ["a1", [0, -1], undefined],
  ["c1", [1, 0], "tall"], ["tall", [-1, 0], "c1"], ["a2", [1, 0], "b2"],
]) test(`${from} ${step} leads to ${want}`, () => assert.equal(nearest(at(from), grid, step)?.name, want));
