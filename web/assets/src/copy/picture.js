// Pictures in the copy: a picture is one character; its caption, its words for who does
// not see it, and the point of it that stays in view are set on it.
import { post } from "../ask.js";
import Quill from "quill/core";
import Embed from "quill/blots/embed";

const told = ["alt", "caption", "focus"];

class Picture extends Embed {
  static blotName = "picture";
  static tagName = "SPAN";
  static className = "picture";

  static create(file) {
    const node = super.create(file);
    node.dataset.file = String(file);
    const img = document.createElement("img"), caption = document.createElement("span");
    const copy = document.querySelector("[data-copy]")?.dataset.url; // the address of the copy it is in
    img.src = `${copy?.replace(/\/copy$/, "")}/pictures/${Number(file)}?small=yes`;
    img.alt = "";
    caption.className = "caption";
    node.append(img, caption);
    return node;
  }

  static value(node) { return node.dataset.file; }

  static formats(node) {
    return Object.fromEntries(told.filter((k) => node.dataset[k]).map((k) => [k, node.dataset[k]]));
  }

  format(name, value) {
    if (!told.includes(name)) return super.format(name, value);
    value ? (this.domNode.dataset[name] = value) : delete this.domNode.dataset[name];
    const img = this.domNode.querySelector("img");
    if (name === "alt") img.alt = value || "";
    if (name === "caption") this.domNode.querySelector(".caption").textContent = value || "";
    if (name === "focus") img.style.objectPosition = value ? value.split(" ").map((n) => n + "%").join(" ") : "";
  }
}
Quill.register("formats/picture", Picture);

// Pictures lets pictures be put into a copy and told about.
export class Pictures {
  constructor(copy) {
    this.copy = copy; this.quill = copy.quill;
    this.dialog = document.querySelector("[data-picture-form]");
    this.file = copy.root.querySelector("[data-picture-file]");
    if (!this.dialog || !this.file) return;
    copy.root.querySelector("[data-picture-button]").addEventListener("click", () => { this.range = this.quill.getSelection(true); this.file.click(); });
    this.file.addEventListener("change", () => { for (const f of this.file.files) this.send(f); this.file.value = ""; });
    this.quill.root.addEventListener("drop", (e) => this.drop(e, e.dataTransfer), true);
    this.quill.root.addEventListener("paste", (e) => this.drop(e, e.clipboardData), true);
    this.quill.root.addEventListener("click", (e) => this.press(e));
    this.quill.root.addEventListener("dblclick", (e) => { const p = e.target.closest(".picture"); if (p) this.open(p); });
    this.quill.root.addEventListener("keydown", (e) => {
      if (e.key === "Enter" && this.chosen()) { e.preventDefault(); e.stopPropagation(); this.open(this.chosen()); }
    }, true);
    const form = this.dialog.querySelector("form");
    form.addEventListener("submit", (e) => { e.preventDefault(); this.tell(form); });
    form.querySelector("[data-cancel]").addEventListener("click", () => this.dialog.close());
    this.dialog.querySelector("img").addEventListener("click", (e) => {
      const r = e.target.getBoundingClientRect();
      this.point(Math.round((e.clientX - r.left) / r.width * 100), Math.round((e.clientY - r.top) / r.height * 100));
    });
  }

  // press selects a picture, and remembers the point of it that was pressed, to ask about.
  press(e) {
    const node = e.target.closest(".picture"), img = node?.querySelector("img");
    if (!img) return;
    const r = img.getBoundingClientRect(), part = (v, from, size) => Math.min(100, Math.max(0, Math.round(((v - from) / size) * 100)));
    this.copy.pointed = { file: node.dataset.file, x: part(e.clientX, r.left, r.width), y: part(e.clientY, r.top, r.height) };
    this.quill.setSelection(this.quill.getIndex(Quill.find(node)), 1, "user");
  }

  // chosen is the picture that alone is selected.
  chosen() {
    const range = this.quill.getSelection();
    if (range?.length !== 1) return null;
    const [leaf] = this.quill.getLeaf(range.index + 1);
    return leaf instanceof Picture ? leaf.domNode : null;
  }

  drop(e, data) {
    const files = [...(data?.files ?? [])].filter((f) => f.type.startsWith("image/"));
    if (!files.length || data.getData("text/html")) return;
    e.preventDefault();
    e.stopPropagation();
    this.range = this.quill.getSelection(true);
    files.forEach((f) => this.send(f));
  }

  async send(file) {
    const data = new FormData();
    data.append("picture", file);
    const res = await post(this.copy.line.url.replace(/\/copy$/, "/pictures"), data), got = res?.json;
    if (!res?.ok || !got) return this.copy.refused(got?.problem ?? "The picture could not be sent: no answer came. Try again when there is a connection.", []);
    const at = Math.min(this.copy.last?.index ?? this.range?.index ?? 0, this.quill.getLength() - 1);
    const before = at > 0 ? this.quill.getText(at - 1, 1) : "\n";
    this.quill.updateContents([{ retain: at }, { insert: before === "\n" ? "" : "\n" }, { insert: { picture: got.picture } },
      { insert: "\n" }].filter((op) => op.retain !== 0 && op.insert !== ""), "user");
    const node = this.quill.root.querySelector(`.picture[data-file="${CSS.escape(got.picture)}"]`);
    if (node) this.open(node);
  }

  // open asks what is to be told about a picture.
  open(node) {
    this.node = node;
    const form = this.dialog.querySelector("form"), img = this.dialog.querySelector("img");
    img.src = node.querySelector("img").src;
    form.elements.alt.value = node.dataset.alt ?? "";
    form.elements.caption.value = node.dataset.caption ?? "";
    this.point(...(node.dataset.focus ?? "50 50").split(" ").map(Number));
    this.dialog.showModal();
  }

  point(x, y) {
    const form = this.dialog.querySelector("form");
    form.elements.x.value = Math.min(100, Math.max(0, x));
    form.elements.y.value = Math.min(100, Math.max(0, y));
    Object.assign(this.dialog.querySelector("[data-point]").style, { left: form.elements.x.value + "%", top: form.elements.y.value + "%" });
  }

  tell(form) {
    const blot = Quill.find(this.node), at = blot && this.quill.getIndex(blot);
    this.dialog.close();
    if (at === undefined || at === null || at < 0) return;
    const focus = `${form.elements.x.value} ${form.elements.y.value}`;
    this.quill.formatText(at, 1, { alt: form.elements.alt.value.trim() || false, caption: form.elements.caption.value.trim() ||
      false, focus: focus === "50 50" ? false : focus }, "user");
    this.quill.setSelection(at + 1, 0, "user");
  }
}
