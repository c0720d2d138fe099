// Makes delta.json.gz: generated cases with what the reference library of the operation
// format, quill-delta, gives for them. Run from the root of the repository, after npm ci:
//   node core/copy/testdata/vectors.mjs
import Delta from "quill-delta";
import { gzipSync } from "node:zlib";
import { writeFileSync } from "node:fs";

let seed = 20261126;
const rand = (n) => { // mulberry32
  seed = (seed + 0x6d2b79f5) | 0;
  let t = Math.imul(seed ^ (seed >>> 15), 1 | seed);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) % n;
};
const pick = (...xs) => xs[rand(xs.length)];
const words = ["flour", " ", "\n", "mill", "é", "🌾", "ŵy", "a", "stone\n", "“tide”", "\n\n", "水車"];
const text = () => Array.from({ length: 1 + rand(3) }, () => pick(...words)).join("");
const value = { bold: () => pick(true, null), italic: () => pick(true, null), header: () => pick(2, 3, null), link: () => pick("https://a.example/", "https://b.example/", null), list: () => pick("bullet", "ordered", null) };
const attributes = (nulls) => {
  const a = {};
  for (const k of Object.keys(value)) if (rand(4) === 0) { const v = value[k](); if (v !== null || nulls) a[k] = v; }
  return Object.keys(a).length ? a : undefined;
};
const object = () => (rand(6) === 0 ? { picture: String(1 + rand(9)) } : text());

function doc() {
  const d = new Delta();
  for (let n = rand(7); n > 0; n--) d.insert(object(), attributes(false));
  return d.insert("\n");
}

// length of the character at a place, so that no pair of units is split
function units(d) {
  const out = [];
  for (const op of d.ops) if (typeof op.insert === "string") for (const c of op.insert) out.push(c.length); else out.push(1);
  return out;
}

function change(d) {
  const left = units(d), c = new Delta();
  const take = () => { let n = 0; for (let k = 1 + rand(5); k > 0 && left.length; k--) n += left.shift(); return n; };
  for (let n = 1 + rand(6); n > 0; n--) {
    switch (rand(4)) {
      case 0: c.insert(object(), attributes(false)); break;
      case 1: { const m = take(); if (m) c.delete(m); break; }
      case 2: { const m = take(); if (m) c.retain(m); break; }
      default: { const m = take(); if (m) c.retain(m, attributes(true)); }
    }
  }
  return c.chop();
}

const cases = [];
for (let i = 0; i < 2000; i++) {
  const d = doc(), a = change(d), b = change(d), then = change(d.compose(a)), at = rand(d.length() + 1);
  cases.push({
    doc: d.ops, a: a.ops, b: b.ops, then: then.ops, at,
    applied: d.compose(a).ops, composed: a.compose(then).ops,
    first: a.transform(b, true).ops, second: a.transform(b, false).ops,
    inverted: a.invert(d).ops, stays: a.transformPosition(at, true), goes: a.transformPosition(at, false),
  });
}
writeFileSync("core/copy/testdata/delta.json.gz", gzipSync(JSON.stringify(cases), { level: 9 }));
