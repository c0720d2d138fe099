// The page and the house turn an edit into the same proposal: both are held to the cases
// that core/copy/propose_test.go makes.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import test from "node:test";
import { gunzipSync } from "node:zlib";
import Delta from "quill-delta";
import { asSet, carried, erased, fit, keyNear, left, plain, propose, set, whole } from "../src/copy/proposal.js";

const cases = JSON.parse(gunzipSync(readFileSync(new URL("../../../core/copy/testdata/propose.json.gz", import.meta.url))));

// asOps is a delta in plain objects.
const asOps = (delta) => JSON.parse(JSON.stringify(delta.ops));

test("an edit is proposed as the house proposes it", () => {
  assert.ok(cases.length >= 1000);
  for (const { old, edit, key, want } of cases) {
    assert.deepEqual(asOps(propose(new Delta(old), new Delta(edit), key)), want, JSON.stringify({ old, edit, key }));
  }
});

test("the end of a copy is never proposed to be cut", () => {
  assert.deepEqual(asOps(propose(new Delta().insert("ab\n"), new Delta().delete(3), "7.a")), [{ retain: 2, attributes: { "cut-7.a": true } }]);
});

test("left, a proposal is the text before it", () => {
  for (const { old, want } of cases) {
    const was = left(new Delta(old)), is = left(new Delta(old).compose(new Delta(want)));
    assert.deepEqual(asOps(is), asOps(was), JSON.stringify({ old, want }));
  }
});

test("what is pasted keeps what a copy can hold", () => {
  const pasted = new Delta()
    .insert("words", { bold: true, color: "red", link: "javascript:alert(1)" })
    .insert("here", { link: "https://weir.example/", italic: false })
    .insert({ video: "x" }).insert({ picture: "7" }, { alt: "The weir" })
    .insert("\n", { header: 9, list: "bullet", bold: true }).insert("\n", { header: 1 });
  assert.deepEqual(asOps(fit(pasted)), [
    { insert: "words", attributes: { bold: true } }, { insert: "here", attributes: { link: "https://weir.example/" } },
    { insert: { picture: "7" }, attributes: { alt: "The weir" } }, { insert: "\n", attributes: { header: 4 } },
    { insert: "\n", attributes: { header: 2 } },
  ]);
});

test("quotation marks and dashes are set as they are typed", () => {
  const type = (before, c) => {
    const old = new Delta().insert(before + "\n");
    const text = old.compose(set(old, new Delta().retain(before.length).insert(c))).ops.map((op) => op.insert).join("");
    return text.slice(0, -1);
  };
  for (const [before, c, want] of [
    ["", '"', "“"], ["He said ", '"', "He said “"], ["“Yes", '"', "“Yes”"], ["(", "'", "(‘"], ["the mill", "'", "the mill’"],
    ["a -", "-", "a –"], ["..", ".", "…"], ["no", ".", "no."], ["a ", "-", "a -"],
  ]) assert.equal(type(before, c), want);
});

test("moved by who proposes, others' proposals stay behind and one's own are done", () => {
  const part = new Delta().insert("own", { put: "7.a" }).insert("other", { put: "8.a" }).insert("gone", { "cut-7.b": true })
    .insert("kept", { "cut-8.b": true, "query-3": true }).insert("strong", { "set-7.c": '{"bold":true}' });
  assert.deepEqual(asOps(carried(part, 7)), [
    { insert: "own", attributes: { put: "7.a" } }, { insert: "kept", attributes: { "cut-8.b": true, "query-3": true } },
    { insert: "strong", attributes: { bold: true } },
  ].map((op) => (op.insert === "own" ? { insert: "own" } : op)));
  assert.deepEqual(asOps(erased(part, 7)), [{ delete: 3 }, { retain: 5 }, { delete: 14 }]);
});

test("what is typed does not inherit marks, but stays within a query", () => {
  const old = new Delta().insert("ab", { "query-3": true, put: "7.a" }).insert("\n");
  const typed = (at) => asOps(plain(old, new Delta().retain(at).insert("x", { "query-3": true, put: "7.a" }), false)).at(-1);
  assert.deepEqual(typed(1), { insert: "x", attributes: { "query-3": true } });
  assert.deepEqual(typed(2), { insert: "x" });
});

test("a proposal goes on with one's own next to it", () => {
  const old = new Delta().insert("ab", { put: "7.a" }).insert("cd", { put: "8.a" }).insert("ef\n");
  const near = (at, me) => keyNear(old, new Delta().retain(at).insert("x"), me, 36);
  assert.equal(near(2, 7), "7.a");
  assert.equal(near(2, 8), "8.a");
  assert.equal(near(5, 7), "7.10");
});

test("a line is of one kind", () => {
  assert.deepEqual(asOps(whole(new Delta().retain(1, { header: 2 }))), [{ retain: 1, attributes: { blockquote: null, header: 2, list: null } }]);
  assert.deepEqual(asOps(whole(new Delta().retain(1, { bold: true }))), [{ retain: 1, attributes: { bold: true } }]);
});

test("the toolbar speaks of what is seen", () => {
  assert.deepEqual(asSet({ bold: true, "set-7.a": '{"bold":null,"italic":true}' }), { italic: true, "set-7.a": '{"bold":null,"italic":true}' });
});
