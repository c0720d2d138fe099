// Rich text: the copy of a piece, and what is sent with a form.
import { Typed } from "./copy/page.js";
import { Pictures } from "./copy/picture.js";
import { Checks } from "./copy/checks.js";
import { Margin } from "./copy/margin.js";
import { Copy } from "./copy/copy.js";

for (const root of document.querySelectorAll("[data-copy]")) {
  root.copy = new Copy(root);
  root.pictures = new Pictures(root.copy);
  const beside = document.querySelector("[data-margin]");
  const checks = document.querySelector("[data-checks]");
  if (checks) root.checks = new Checks(checks, root.copy);
  if (beside) root.margin = new Margin(beside, root.copy);
}
for (const root of document.querySelectorAll("[data-typed]")) new Typed(root);
