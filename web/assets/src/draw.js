import { post } from "./ask.js";

// drawAnew sends a form as it is, with what is to be done, and gives the part of the page
// that the house draws from it; nothing where there is no connection.
export async function drawAnew(form, what) {
  const data = new URLSearchParams(new FormData(form));
  data.set("do", what);
  return (await post(form.action, data, { "X-Part": "1" }))?.text ?? "";
}
