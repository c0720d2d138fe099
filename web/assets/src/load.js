// The load: a leg is taken to another person, or to another day to let it end there.
import { json } from "./ask.js";
import { Hand } from "./hand.js";
import { within } from "./sketch.js";
import { asker, carryOut, inHand } from "./move.js";
import { refreshAll } from "./live.js";

export const load = () => ({
  init() {
    const root = this.$root;
    let piece = null, leg = null, ask = null;
    const where = (to) => (to.dataset.drop === "day" ? { do: "pin", leg, due: to.dataset.date } : { do: "give", leg, to: to.dataset.person });
    const row = (el) => el.closest("[data-person]");
    this.hand = new Hand(root, {
      can: (to, from) => (to.dataset.drop === "day" ? row(to) === row(from) : row(to) !== row(from)),
      byKey: (to, step) => !step || to.dataset.drop === (step[0] ? "day" : "person"), // sideways the days, up and down the people
      async begin(source) {
        piece = source.dataset.piece; leg = source.dataset.leg;
        ask = asker(piece);
        const refused = inHand(piece, true, { do: "give", leg });
        const got = await json(within(`/pieces/${piece}/fits?leg=${encodeURIComponent(leg)}`));
        if (!got || !root.classList.contains("holding")) return;
        for (const el of root.querySelectorAll("[data-drop=person]")) {
          const f = got.people?.[el.dataset.person];
          el.dataset.stands = f ? f.says : "does not run this";
          el.dataset.tone = f ? f.tone : "plain";
        }
        return refused;
      },
      tell: async (to) => (await ask(where(to))).lines,
      drop: async (to) => { const id = piece, form = where(to); await carryOut({ ...form, piece: id }, await ask(form)); },
      end() {
        inHand(piece, false);
        for (const el of root.querySelectorAll("[data-stands]")) { delete el.dataset.stands; delete el.dataset.tone; }
      },
    }, this.$refs);
    root.addEventListener("click", (e) => {
      const a = e.target.closest("[data-unfold]");
      if (!a || e.ctrlKey || e.metaKey) return;
      e.preventDefault();
      const key = a.closest("[data-part]").dataset.part;
      history.replaceState(null, "", a.href.split("#")[0]);
      refreshAll().then(() => root.querySelector(`[data-part="${key}"] [data-unfold]`)?.focus());
    });
  },
});
