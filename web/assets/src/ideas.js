// The list of ideas: what is judged is sent at once, and the score follows.
import { post } from "./ask.js";
import { refreshAll } from "./live.js";

export const ideas = () => ({
  init() {
    addEventListener("caught", () => refreshAll());
    this.$root.addEventListener("change", (e) => {
      const form = e.target.closest(".idea-judge");
      if (form) this.judge(form);
    });
  },
  async judge(form) {
    const row = form.closest("[data-idea]"), score = row.querySelector("[data-score]");
    const res = await post(form.action, new URLSearchParams(new FormData(form))), answer = res?.json;
    if (!res?.ok || !answer) return this.say(answer?.problem ??
      "This could not be kept just now. Look whether you are connected and signed in, and choose again.");
    score.textContent = answer.score || "–";
    score.classList.toggle("muted", !answer.score);
    this.say(answer.score ? `The score is ${answer.score}.` : "Nothing is judged.");
  },
  say(text) { this.$refs.told.textContent = text; },
});
