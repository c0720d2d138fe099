// drawAnew sends a form as it is, with what is to be done, and gives the part of the page
// that the house draws from it; nothing where there is no connection.
export async function drawAnew(form, what) {
  const data = new URLSearchParams(new FormData(form));
  data.set("do", what);
  try {
    return await (await fetch(form.action, { method: "POST", headers: { "X-Part": "1" }, body: data })).text();
  } catch { return ""; }
}
