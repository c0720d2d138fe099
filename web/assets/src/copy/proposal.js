// What is typed by somebody who proposes, turned into marks, by the same rules as in the
// house (core/copy/propose.go); and what else is worked out of a text. Nothing here knows
// of a page.
import Delta from "quill-delta";

export const kinds = ["blockquote", "header", "list"]; // a line is one of these at most
export const isMark = (name) => /^(break-)?(put$|cut-|set-)|^query-/.test(name);
const proposes = (name) => /^(break-)?(put$|cut-|set-)/.test(name);
export const keyOf = (name, value) => (/put$/.test(name) ? value : name.replace(/^(break-)?(cut|set)-/, ""));
export const authorOf = (key) => Number(String(key).split(".")[0]);

// whole makes whatever says one thing of the kind of a line say all of it.
export function whole(delta) {
  return new Delta(delta.ops.map((op) => {
    const a = op.attributes;
    if (op.retain === undefined || !a || !kinds.some((k) => k in a)) return op;
    const given = kinds.find((k) => a[k]);
    return { ...op, attributes: { ...a, ...Object.fromEntries(kinds.map((k) => [k, k === given ? a[k] : null])) } };
  }));
}

// lines calls f with each part of an insert that is either words or line breaks.
function lines(op, f) {
  if (typeof op.insert !== "string") return f(op, false);
  for (const part of op.insert.match(/\n+|[^\n]+/g) ?? []) f({ ...op, insert: part }, part[0] === "\n");
}

const size = (op) => (typeof op.insert === "string" ? op.insert.length : op.retain ?? op.delete ?? 1);

// fit keeps of what is typed or pasted what a copy can hold.
export function fit(edit) {
  const words = { bold: (v) => v === true, italic: (v) => v === true, link: (v) => typeof v === "string" && v.length <= 2000 &&
    safe(v), alt: text, caption: text, focus: text };
  const line = { blockquote: (v) => v === true, header: (v) => v >= 1, list: (v) => typeof v === "string", advice: text };
  const out = new Delta();
  for (const op of edit.ops) {
    if (op.insert === undefined) { out.push(op); continue; }
    if (typeof op.insert !== "string" && !op.insert.picture) continue;
    lines(op, (part, isLine) => {
      const attributes = {};
      for (const [k, v] of Object.entries(part.attributes ?? {})) {
        if (isMark(k)) { if (k.startsWith("break-") === isLine) attributes[k] = v; continue; }
        const known = isLine ? line : words;
        if (v === null || !known[k]?.(v)) continue;
        attributes[k] = k === "header" ? Math.min(4, Math.max(2, Number(v))) : k === "list" ? (v === "ordered" ? v : "bullet") : v;
      }
      const given = ["header", "list", "blockquote"].filter((k) => k in attributes);
      for (const k of given.slice(1)) delete attributes[k];
      out.insert(part.insert, attributes);
    });
  }
  return out;
}
const text = (v) => typeof v === "string" && v !== "" && v.length <= 1000;
const safe = (v) => /^(https?:|mailto:|[^:]*$|[/#?])/i.test(v) && !/[\0\n\r\t]/.test(v);

// set makes typographic quotation marks and dashes of what is typed on a keyboard that has
// none: "" and '' as they open and close, -- as a dash, ... as an ellipsis.
export function set(old, edit) {
  let at = 0;
  const insert = edit.ops.find((op) => op.insert !== undefined);
  if (edit.ops.some((op) => op.attributes && op.insert === undefined) || typeof insert?.insert !== "string" || insert.insert.length !== 1) return edit;
  for (const op of edit.ops) { if (op === insert) break; at += op.retain ?? 0; }
  const before = textOf(old.slice(Math.max(0, at - 2), at));
  const opens = before === "" || /[\s([{“‘—–-]$/.test(before);
  const c = insert.insert, a = insert.attributes;
  if (c === '"') return replaced(edit, insert, opens ? "“" : "”", a);
  if (c === "'") return replaced(edit, insert, opens ? "‘" : "’", a);
  if (c === "-" && before.endsWith("-") && at > 0) return new Delta().retain(at - 1).insert("–", a).delete(1).concat(rest(edit, insert));
  if (c === "." && before === "..") return new Delta().retain(at - 2).insert("…", a).delete(2).concat(rest(edit, insert));
  return edit;
}
const textOf = (delta) => delta.ops.map((op) => (typeof op.insert === "string" ? op.insert : " ")).join("");
const replaced = (edit, op, to, attributes) => new Delta(edit.ops.map((o) => (o === op ? { insert: to, ...(attributes && { attributes }) } : o)));
const rest = (edit, op) => new Delta(edit.ops.slice(edit.ops.indexOf(op) + 1));

// left gives words as they are with proposals left, and without marks.
export function left(part) {
  const out = new Delta();
  for (const op of part.ops) lines(op, (p, line) => {
    const a = p.attributes ?? {};
    if (!a[line ? "break-put" : "put"]) out.insert(p.insert, Object.fromEntries(Object.entries(a).filter(([k]) => !isMark(k) && k !== "advice")));
  });
  return out;
}

// erased gives the edit of somebody who proposes that takes words away: what others propose
// to put stays where it is.
export function erased(part, me) {
  const out = new Delta();
  for (const op of part.ops) lines(op, (p, line) => {
    const put = p.attributes?.[line ? "break-put" : "put"];
    put && authorOf(put) !== me ? out.retain(size(p)) : out.delete(size(p));
  });
  return out;
}

// carried gives words as somebody who proposes moves them: what they propose themselves is
// done, what others propose to put is not among them, and all other marks stay on them.
export function carried(part, me) {
  const out = new Delta();
  for (const op of part.ops) lines(op, (p, line) => {
    const a = { ...p.attributes }, put = a[line ? "break-put" : "put"];
    if (put && authorOf(put) !== me) return;
    for (const [k, v] of Object.entries(a)) {
      if (!proposes(k) || authorOf(keyOf(k, v)) !== me) continue;
      delete a[k];
      if (/^(break-)?cut-/.test(k)) return;
      if (/^(break-)?set-/.test(k)) for (const [name, to] of Object.entries(JSON.parse(v))) to === null ? delete a[name] : (a[name] = to);
    }
    out.insert(p.insert, a);
  });
  return out;
}

// plain takes from what is typed the marks it inherited from the words around it, unless it
// keeps its own; a query stays where both sides have it.
export function plain(old, edit, keeps) {
  let at = 0;
  return new Delta(edit.ops.map((op) => {
    if (op.insert === undefined) at += size(op);
    if (op.delete || !op.attributes || keeps) return op;
    if (op.retain) { // a line takes its kind from another, and not its marks
      const kind = Object.fromEntries(Object.entries(op.attributes).filter(([k]) => !isMark(k)));
      return Object.keys(kind).length ? { ...op, attributes: kind } : { retain: op.retain };
    }
    const behind = old.slice(at, at + 1).ops[0]?.attributes ?? {};
    const attributes = Object.fromEntries(Object.entries(op.attributes).filter(([k]) => !proposes(k) && (!k.startsWith("query-") || behind[k])));
    return Object.keys(attributes).length ? { ...op, attributes } : { insert: op.insert };
  }));
}

// keyNear gives the key of a proposal of one's own next to where an edit begins, so that
// what is typed goes on with it, or a new one.
export function keyNear(old, edit, me, now) {
  let at = 0;
  for (const op of edit.ops) {
    if (op.insert !== undefined || op.delete !== undefined || op.attributes) break;
    at += op.retain;
  }
  const gone = edit.ops.reduce((n, op) => n + (op.delete ?? 0), 0);
  for (const op of old.slice(Math.max(0, at - 1), at + gone + 1).ops) {
    for (const [name, value] of Object.entries(op.attributes ?? {})) {
      if (proposes(name) && authorOf(keyOf(name, value)) === me) return keyOf(name, value);
    }
  }
  return `${me}.${Math.round(now).toString(36)}`;
}

const settable = (name, line) => (line ? kinds.includes(name) || name === "advice" : ["bold", "italic", "link", "alt", "caption", "focus"].includes(name));
const sorted = (a) => JSON.stringify(Object.fromEntries(Object.keys(a).sort().map((k) => [k, a[k]])));

// propose turns an edit into a proposal of it; what it inserts keeps its marks if it is to.
export function propose(old, edit, key, keeps) {
  const me = authorOf(key), last = old.length() - 1;
  const out = new Delta();
  let at = 0, held = [];
  const put = () => {
    for (const op of held) lines(op, (part, line) => {
      const attributes = Object.fromEntries(Object.entries(part.attributes ?? {}).filter(([k]) => keeps || !isMark(k)));
      attributes[line ? "break-put" : "put"] = key;
      out.insert(part.insert, attributes);
    });
    held = [];
  };
  const each = (n, f) => {
    for (const op of old.slice(at, at + n).ops) lines(op, (part, line) => { f(part, line, size(part)); at += size(part); });
  };
  const mine = (a = {}) => authorOf(a.put ?? a["break-put"] ?? "0.") === me;
  for (const op of edit.ops) {
    if (op.insert !== undefined) held.push(op);
    else if (op.delete !== undefined) {
      each(op.delete, (part, line, n) => {
        const a = part.attributes ?? {};
        if (mine(a)) return out.delete(n);
        const cut = Object.keys(a).some((k) => k.replace("break-", "").startsWith("cut-") && authorOf(keyOf(k)) === me);
        if (cut || (line && at + n > last)) return out.retain(n);
        out.retain(n, { [(line ? "break-" : "") + "cut-" + key]: true });
      });
    } else if (!op.attributes) { put(); out.retain(op.retain); at += op.retain; }
    else {
      put();
      each(op.retain, (part, line, n) => {
        const a = part.attributes ?? {}, name = (line ? "break-" : "") + "set-" + key;
        if (mine(a)) return out.retain(n, op.attributes);
        let sets = Object.fromEntries(Object.entries(op.attributes).filter(([k]) => settable(k, line)));
        if (a[name]) sets = { ...JSON.parse(a[name]), ...sets };
        const alone = !Object.keys(a).some((k) => k !== name && k.replace("break-", "").startsWith("set-"));
        if (alone) sets = Object.fromEntries(Object.entries(sets).filter(([k, v]) => v !== (a[k] ?? null)));
        if (Object.keys(sets).length) out.retain(n, { [name]: sorted(sets) });
        else out.retain(n, a[name] ? { [name]: null } : undefined);
      });
    }
  }
  put();
  return out.chop();
}

// asSet gives attributes as they would be with what is proposed to be set on them, so that
// the toolbar speaks of what is seen.
export function asSet(a) {
  const out = { ...a };
  for (const [name, value] of Object.entries(a)) {
    if (!/^(break-)?set-/.test(name)) continue;
    for (const [k, v] of Object.entries(JSON.parse(Array.isArray(value) ? value[0] : value))) v === null ? delete out[k] : (out[k] = v);
  }
  return out;
}
