// What is copied, cut, pasted and dragged. Words that are copied are as readers would have
// them: without what is proposed, and without marks. Words that are moved, cut and pasted
// once or dragged, keep the marks that are on them.
import Quill from "quill/core";
import Clipboard, { traverse } from "quill/modules/clipboard";
import { deleteRange } from "quill/modules/keyboard";
import Delta from "quill-delta";
import { carried, erased, left } from "./proposal.js";

const words = "application/x-green-baton-words"; // as a copy holds them
const moved = "application/x-green-baton-moved"; // tells which words these are

// The steps back are counted by how many there are, to tell what is taken back again.
const steps = (quill) => quill.history?.stack.undo.length ?? 0;

let sheet; // on which what is copied is set out

// ours gives words that were copied from a copy; null if there are none, or another page only
// says that they are.
function ours(data) {
  try {
    const ops = JSON.parse(data?.getData(words) || "null");
    return Array.isArray(ops) && ops.every((op) => op?.insert) ? new Delta(ops) : null;
  } catch { return null; }
}

// html writes a text, up to its last line break, for other programs.
function html(text, last) {
  sheet ??= new Quill(document.createElement("div"));
  sheet.setContents(text.concat(last), "silent");
  return sheet.getSemanticHTML(0, text.length());
}

const attribute = /([\t\n\f\r /]*)(=?[^\t\n\f\r />=]+|=)([\t\n\f\r ]*=[\t\n\f\r ]*(?:"[^"]*"|'[^']*'|[^\t\n\f\r "'>][^\t\n\f\r >]*|))?/y;

// unstyled writes the attributes of a page from elsewhere that style or run something as
// ones that do not: the policy of this page forbids them, and complains wherever they stand.
function unstyled(text) {
  const tag = /<[a-z][^\t\n\f\r />]*/gi;
  let out = "", at = 0;
  while (tag.lastIndex = at, tag.test(text)) {
    out += text.slice(at, at = tag.lastIndex);
    for (let a; attribute.lastIndex = at, (a = attribute.exec(text)); at = attribute.lastIndex)
      out += a[1] + (/^(style|on.*)$/i.test(a[2]) ? "data-" : "") + a[2] + (a[3] ?? "");
  }
  return out + text.slice(at);
}

// plainly makes of how an element is styled what can be read without styling it.
function plainly(el) {
  const say = Object.fromEntries((el.dataset.style ?? "").split(";").map((s) => s.split(":")).filter((s) => s.length === 2).map(([k, v]) =>
    [k.trim().toLowerCase(), v.toLowerCase()]));
  const weight = say["font-weight"] ?? say.font, slant = say["font-style"] ?? say.font;
  if (weight) el.dataset.weight = /bold|\b[6-9]00\b/.test(weight) ? "bold" : "normal";
  if (slant) el.dataset.slant = /italic|oblique/.test(slant) ? "italic" : "normal";
  const own = { B: "weight", STRONG: "weight", I: "slant", EM: "slant" }[el.tagName];
  if (own && el.dataset[own] === "normal") { // bold that says it is not
    const span = el.ownerDocument.createElement("span");
    span.append(...el.childNodes);
    el.replaceWith(span);
  }
}

// styled sets what plainly read on the words of an element that say nothing else.
function styled(name, value, set) {
  return [`[data-${name}]`, (el, delta) =>
    delta.reduce((out, op) => out.insert(op.insert, op.attributes && set in op.attributes ? op.attributes
      : { ...op.attributes, [set]: el.dataset[name] === value }), new Delta())];
}

export const matchers = [styled("weight", "bold", "bold"), styled("slant", "italic", "italic")];

export class Clip extends Clipboard {
  constructor(quill, options) {
    super(quill, options);
    quill.root.addEventListener("dragstart", (e) => this.drag(e));
    quill.root.addEventListener("drop", (e) => this.drop(e));
    quill.root.addEventListener("dragend", () => { this.dragged = null; });
    quill.on("text-change", (delta, old, source) => {
      const d = this.dragged, m = this.moving;
      if (d) {
        const end = delta.transformPosition(d.index + d.length);
        d.index = delta.transformPosition(d.index);
        d.length = Math.max(0, end - d.index);
      }
      if (!m || source !== "user" || quill.history.ignoreChange) return;
      if (steps(quill) < m.cut) this.moving = null; // they are in the text again, for good
      else if (steps(quill) < m.put) m.put = undefined;
    });
  }

  // fill puts a stretch of the text on a clipboard, or gives it to what is dragged.
  fill(data, { index, length }) {
    const part = this.quill.getContents(index, length), [line] = this.quill.getLine(index + length - 1);
    const read = left(part);
    data.setData("text/plain", read.ops.map((op) => (typeof op.insert === "string" ? op.insert : "")).join(""));
    data.setData("text/html", html(read, left(new Delta().insert("\n", line?.formats()))));
    data.setData(words, JSON.stringify(read.ops));
    const name = `${Date.now()} ${Math.random()}`;
    return { name, part, tell: () => data.setData(moved, name) };
  }

  onCaptureCopy(e, cut = false) {
    if (e.defaultPrevented) return;
    e.preventDefault();
    const range = this.quill.getSelection();
    if (!range?.length || !e.clipboardData) return;
    const what = this.fill(e.clipboardData, range);
    if (!cut || !this.quill.isEnabled()) return;
    const me = this.options.proposes?.();
    this.quill.history?.cutoff();
    if (me) this.quill.updateContents(new Delta().retain(range.index).concat(erased(what.part, me)), "user");
    else deleteRange({ range, quill: this.quill });
    this.quill.history?.cutoff(); // what is typed next is a step of its own
    if (this.options.proposes) {
      what.tell();
      this.moving = { ...what, cut: steps(this.quill) };
    }
  }

  // carries gives the words that were cut if these are they, and they are not in the text.
  carries(data) {
    const m = this.moving, n = steps(this.quill);
    return m && data?.getData(moved) === m.name && n >= m.cut && (m.put === undefined || n < m.put) ? m : null;
  }

  onCapturePaste(e) {
    if (e.defaultPrevented || !this.quill.isEnabled()) return;
    const m = this.carries(e.clipboardData);
    if (!m && !ours(e.clipboardData)) return super.onCapturePaste(e);
    e.preventDefault();
    const range = this.quill.getSelection(true);
    if (!m) return this.paste(range, e.clipboardData);
    this.quill.history.cutoff();
    this.put(range.index + range.length, new Delta().retain(range.index).delete(range.length), m.part);
    this.quill.history.cutoff();
    m.put = steps(this.quill);
    this.quill.scrollSelectionIntoView();
  }

  // paste puts in what is on a clipboard or was dropped, in the place of a stretch.
  paste(range, data) {
    const part = ours(data);
    if (!part) return this.onPaste(range, { html: data.getData("text/html"), text: data.getData("text/plain") ||
      this.normalizeURIList(data.getData("text/uri-list")) });
    this.quill.updateContents(new Delta().retain(range.index).delete(range.length).concat(part), "user");
    this.quill.setSelection(range.index + part.length(), 0, "silent");
    this.quill.scrollSelectionIntoView();
  }

  // put puts words that are moved to a place, behind what an edit does before it, and goes
  // on with another edit behind it.
  put(at, before, part, behind) {
    const me = this.options.proposes?.(), is = me ? carried(part, me) : part, was = this.quill.getLength();
    this.keeps = true;
    this.quill.updateContents(before.concat(is).concat(behind ?? new Delta()), "user");
    this.keeps = false;
    const gone = was + is.length() - this.quill.getLength();
    this.quill.setSelection(at + is.length() - (behind ? 0 : gone), 0, "silent");
  }

  drag(e) {
    const picture = e.target.closest?.(".picture"), at = picture && Quill.find(picture);
    if (at) this.quill.setSelection(this.quill.getIndex(at), 1, "user");
    const range = this.quill.getSelection();
    if (!range?.length || !e.dataTransfer) return;
    e.dataTransfer.clearData();
    const { name, tell } = this.fill(e.dataTransfer, range);
    tell();
    e.dataTransfer.effectAllowed = "copyMove";
    this.dragged = { ...range, name };
  }

  drop(e) {
    const data = e.dataTransfer, d = this.dragged?.name === data?.getData(moved) ? this.dragged : null;
    this.dragged = null;
    if (!data || data.files.length || !this.quill.isEnabled()) return;
    e.preventDefault();
    const at = this.under(e);
    if (at === null) return;
    this.quill.focus();
    this.quill.setSelection(at, 0, "silent");
    if (!d || e.ctrlKey || e.altKey) return this.paste({ index: at, length: 0 }, data);
    const end = d.index + d.length;
    if (at >= d.index && at <= end) return;
    const part = this.quill.getContents(d.index, d.length); // others may have changed it meanwhile
    const me = this.options.proposes?.(), gone = me ? erased(part, me) : new Delta().delete(d.length);
    this.quill.history?.cutoff();
    if (at > end) this.put(at, new Delta().retain(d.index).concat(gone).retain(at - end), part);
    else this.put(at, new Delta().retain(at), part, new Delta().retain(d.index - at).concat(gone));
    this.quill.history?.cutoff();
  }

  // under gives the place in the text that something is dropped on; null if it is none.
  under({ clientX: x, clientY: y }) {
    const at = document.caretPositionFromPoint?.(x, y), native = at ? document.createRange() : document.caretRangeFromPoint?.(x, y);
    if (at) native.setStart(at.offsetNode, at.offset);
    const found = native && this.quill.selection.normalizeNative(native);
    return found ? this.quill.selection.normalizedToRange(found).index : null;
  }

  // convertHTML reads a page from elsewhere without loading, styling or running anything of it.
  convertHTML(text) {
    const box = document.createElement("template");
    box.innerHTML = unstyled(text);
    const doc = box.content.ownerDocument, body = doc.createElement("div");
    body.append(box.content);
    for (const el of body.querySelectorAll("script, style, title, link, meta, base, img, svg, video, audio, source, object, embed, iframe")) el.remove();
    for (const el of body.querySelectorAll("*")) plainly(el);
    this.normalizeHTML({
      documentElement: { innerHTML: text, getAttribute: (name) => new RegExp(`<html[^>]*\\s${name}\\s*=\\s*["']?([^"'\\s>]*)`, "i").exec(text)?.[1] ?? null },
      querySelector: (s) => body.querySelector(s),
      querySelectorAll: (s) => [...body.querySelectorAll(s.replace("[style", "[data-style"))].map((el) =>
        Object.assign(el, { getAttribute: (name) => el.attributes[name === "style" ? "data-style" : name]?.value ?? null })),
      createDocumentFragment: () => doc.createDocumentFragment(),
    });
    const known = new WeakMap();
    return traverse(this.quill.scroll, body, ...this.prepareMatching(body, known), known);
  }
}
