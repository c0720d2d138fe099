// ask puts a question to the house and gives its answer once all of it is there; null where
// there was none: without a connection, or because the page is being left, which is no
// error of anybody's. Every request of a page goes through here.
export async function ask(url, options = {}) {
  try {
    const res = await fetch(url, options);
    const text = await res.text();
    return { ok: res.ok && !res.redirected, status: res.status, redirected: res.redirected, text, json: jsonOf(res, text) };
  } catch {
    return null;
  }
}

// jsonOf is what an answer says as JSON; null where it says something else, such as the
// page to sign in.
function jsonOf(res, text) {
  if (!res.headers.get("Content-Type")?.includes("json")) return null;
  try { return JSON.parse(text); } catch { return null; }
}

// handsOff waits until nothing on the page is being pressed, some seconds at most, so that
// nothing is put in the place of what lies under a finger: the press would be lost.
export async function handsOff() {
  for (let i = 0; i < 100 && document.querySelector(":active"); i++) await new Promise((go) => setTimeout(go, 30));
}

// part asks for a part of a page, to be put in its place; json for data, and post sends a form.
export const part = async (url) => {
  const got = await ask(url, { headers: { "X-Part": "1" } });
  await handsOff();
  return got;
};
export const json = async (url) => (await ask(url, { headers: { Accept: "application/json" } }))?.json ?? null;
export const post = (url, body, headers = { Accept: "application/json" }) => ask(url, { method: "POST", headers, body });

// unanswered says that a form may have arrived although no answer did.
export const unanswered = "No answer came. Whether it was done is not known: look whether you are still connected, "
  + "reload the page, and see before you do it again.";

// notArrived says that a form waited in vain for what was typed before it.
export const notArrived = "This was not done: what you typed before has not arrived yet. Look whether you are still connected, and do it again.";
