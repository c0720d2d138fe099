// What is on the copy without being of it, as marks on the text: proposals and queries.
// The names are those of the house (core/copy/marks.go).
import Quill from "quill/core";
import { Attributor, Scope } from "parchment";
import { isMark } from "./proposal.js";

// Mark is an attribute on the page that can be styled by what kind of mark it is.
class Mark extends Attributor {
  constructor(name) {
    super(name, "data-" + name, { scope: name.startsWith("break-") ? Scope.BLOCK : Scope.INLINE });
    this.kind = /put$/.test(name) ? "is-put" : /cut-/.test(name) ? "is-cut" : /set-/.test(name) ? "is-set" : "is-asked";
  }

  add(node, value) {
    if (!super.add(node, value)) return false;
    node.classList.add(this.kind);
    if (this.kind === "is-set") for (const [k, v] of Object.entries(JSON.parse(value)))
      node.classList.add(`set-${k}-${v === true ? "on" : v ?? "off"}`.replace(/[^a-z0-9-]+/gi, "_").slice(0, 40));
    return true;
  }

  remove(node) {
    super.remove(node);
    node.removeAttribute("class");
    for (const { name, value } of [...node.attributes]) if (name.startsWith("data-") && isMark(name.slice(5))) known(name.slice(5)).add(node, value);
  }

  value(node) {
    const v = super.value(node);
    return v === "true" ? true : v;
  }
}

const marks = new Map();

// known gives the mark of a name, made when it is first met.
function known(name) {
  if (!marks.has(name)) {
    marks.set(name, new Mark(name));
    Quill.register("formats/" + name, marks.get(name), true);
  }
  return marks.get(name);
}
known("put"); known("break-put");

// meet makes the marks known that a change brings.
export function meet(delta) {
  for (const op of delta.ops) for (const name of Object.keys(op.attributes ?? {})) if (isMark(name)) known(name);
  return delta;
}
