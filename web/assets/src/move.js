// What all views have in common when a piece is moved: asking what would happen, doing
// it, saying what was done, and taking it back.
import { ask, json, post as send, unanswered } from "./ask.js";
import { done } from "./foot.js";
import { askWhat, show } from "./what.js";
import { hold, refresh, refreshAll } from "./live.js";
import { within } from "./sketch.js";

// post sends a form and gives what came of it; a refusal is shown in the dialog.
export async function post(url, data) {
  const res = await send(url, new URLSearchParams(data)), got = res?.json;
  if (!res?.ok || !got) {
    show(problem(got?.problem ?? unanswered, got?.since));
    return null;
  }
  if (got.said) done(got);
  return got;
}

function problem(text, since) {
  const div = document.createElement("div");
  div.dataset.consequences = "";
  const h = document.createElement("h2"), p = document.createElement("p");
  h.id = "what-title"; h.textContent = "Nothing was done";
  p.className = "problem"; p.setAttribute("role", "alert"); p.textContent = text;
  div.append(h, p);
  if (since?.length) {
    const ul = document.createElement("ul");
    ul.append(...since.map((s) => { const li = document.createElement("li"); li.textContent = s; return li; }));
    div.append(ul);
  }
  return div.outerHTML;
}

// carryOut does what was previewed, and asks first where there is something to choose.
export async function carryOut(form, what) {
  if (!what || what.ask || !what.seal) return askWhat(toForm(form));
  if (what.sketch) return change(`/sketches/${what.sketch}`, { do: "try", changes: what.changes });
  await change("/change", { changes: what.changes, seal: what.seal });
}

// change carries out what was previewed; if it would come to something else by now, that
// is shown instead, and the view shows the truth.
async function change(url, data) {
  const res = await send(url, new URLSearchParams(data), { Accept: "application/json", "X-Part": "1" }), got = res?.json;
  if (!res || res.redirected) return show(problem(unanswered));
  if (!got) {
    show(res.text);
    return refresh(JSON.parse(data.changes ?? data.get("changes")).map((c) => c.piece));
  }
  document.getElementById("what").close();
  if (!res.ok) return show(problem(got.problem, got.since));
  done(got);
  await anew(got);
}

// anew draws what an act concerns; in a sketch that is anything.
const anew = (got) => (got.all ? refreshAll() : refresh(got.pieces ?? []));

export function toForm(form) {
  const data = new FormData();
  for (const [k, v] of Object.entries(form)) data.set(k, v);
  return data;
}

// asker remembers what would happen for each form, while one thing is held.
export function asker(piece) {
  const said = new Map();
  return (form) => {
    const query = new URLSearchParams(form).toString();
    if (!said.has(query)) said.set(query, json(within(`/pieces/${piece}/what?${query}`)).then((got) => got?.lines ? got
      : { lines: [{ text: "What this would do could not be worked out just now.", tone: "short" }] }));
    return said.get(query);
  };
}

// inHand tells other screens that a piece is taken up here, or let go. does is what it is taken
// up for: the promise is of why that is refused, or of nothing.
export function inHand(piece, on, does = {}) {
  hold(on);
  return ask(`/pieces/${piece}/hold`, {
    method: "POST", keepalive: true, headers: { Accept: "application/json" }, body: new URLSearchParams({ held: on ? "yes" : "no", ...does }),
  }).then((got) => got && !got.ok && got.json?.problem);
}

// forms in the dialog and at the foot are carried out without leaving a view.
document.addEventListener("submit", async (e) => {
  const form = e.target, view = document.querySelector("[data-view][x-data]");
  if (!view || !(form.matches("#what form[data-change], form[data-act], #foot form"))) return;
  e.preventDefault();
  e.stopPropagation();
  const data = new FormData(form, e.submitter);
  const inDialog = form.closest("#what");
  if (form.matches("[data-act]") || !inDialog) {
    const got = await post(form.action, data);
    if (!got) return;
    form.reset(); // it is done: drawn anew, it keeps nothing of it
    if (inDialog) document.getElementById("what").close();
    return void (await anew(got));
  }
  await change(form.action, data);
}, true);
