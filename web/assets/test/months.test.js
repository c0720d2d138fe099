import { test } from "node:test";
import assert from "node:assert/strict";
import { dayAt, isoDay } from "../src/months.js";

test("a day on a line of months that are each as wide as another", () => {
  for (const [first, months, share, want] of [
    ["2026-09-01", 6, 0, "2026-09-01"], ["2026-09-01", 6, 1, "2027-02-28"], ["2026-09-01", 6, -3, "2026-09-01"], ["2026-09-01", 6, 1 / 6, "2026-10-01"],
    ["2026-09-01", 6, 3.5 / 6, "2026-12-16"], ["2028-02-01", 1, 0.999, "2028-02-29"], ["2026-11-01", 3, 1.99 / 3, "2026-12-31"],
  ]) assert.equal(dayAt(first, months, share), want);
});

test("a day as pages write it", () => assert.equal(isoDay("2026-12-03"), "Thu 3 Dec"));
