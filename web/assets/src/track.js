// The track: a piece is taken to the next leg to pass it, to an earlier one to send it
// back, to another person to give it away, above another to put it before it.
import { json } from "./ask.js";
import { Hand } from "./hand.js";
import { asker, carryOut, inHand, post } from "./move.js";
import { refresh } from "./live.js";
import { showPart } from "./what.js";

export const track = () => ({
  init() {
    const root = this.$root, people = root.dataset.lanes === "person";
    let piece = null, leg = null, known = null, ask = null;
    const cellOf = (el) => el.closest(".leg"), laneOf = (el) => el.closest(".lane");
    const away = (to, from) => people && laneOf(to) !== laneOf(from);
    const give = (to) => ({ do: "give", leg, to: laneOf(to).querySelector("[data-person]").dataset.person });
    // act says what taking the held piece to a place means there.
    const act = async (to, from) => {
      if (away(to, from)) return "give";
      if (to.dataset.drop === "turn" || to === cellOf(from)) return "turn";
      const k = await known, at = to.dataset.leg;
      if (k.pass?.to.includes(at)) return "pass";
      return k.back?.[at] ? "back" : "none";
    };
    this.hand = new Hand(root, {
      can(to, from) {
        if (to.dataset.drop === "turn") return cellOf(to) === cellOf(from);
        if (to.dataset.drop === "lane") return away(to, from) && to.matches(".lane-legs, .lane-head");
        return !away(to, from) && (laneOf(to) === laneOf(from));
      },
      byKey: (to) => to.dataset.drop !== "lane" || to.matches(".lane-legs"),
      begin(source) {
        piece = source.dataset.piece; leg = source.dataset.leg;
        ask = asker(piece);
        inHand(piece, true);
        known = json(`/pieces/${piece}/hands?leg=${encodeURIComponent(leg)}`).then((got) => got ?? {});
        known.then((k) => {
          if (!root.classList.contains("holding")) return;
          for (const cell of laneOf(source).querySelectorAll(".leg")) {
            const at = cell.dataset.leg;
            if (k.pass?.to.includes(at)) cell.classList.add(k.pass.unmet ? "to-unmet" : "to-pass");
            else if (k.back?.[at]) cell.classList.add("to-back");
          }
        });
      },
      async tell(to, from) {
        switch (await act(to, from)) {
          case "give": return (await ask(give(to))).lines;
          case "pass": return (await known).pass.lines;
          case "back": return [(await known).back[to.dataset.leg]];
          case "turn": return [{ text: to.dataset.drop === "turn" ? `Before “${to.querySelector("a.title").textContent}”, in the desk’s order`
            : "Last at this leg, in the desk’s order", tone: "" }];
        }
        const k = await known;
        return [{ text: k.refuse ?? k.problem ?? "From here it cannot go there: take it to the leg that comes next, or back to one it has passed.",
          tone: "short" }];
      },
      async drop(to, from) {
        const version = from.dataset.version, id = piece, at = leg;
        switch (await act(to, from)) {
          case "give": { const form = give(to); return carryOut({ ...form, piece: id }, await ask(form)); }
          case "pass": {
            const k = await known;
            if (k.pass.unmet) return showPart(`/pieces/${id}/do`);
            const got = await post(`/pieces/${id}/pass`, { leg: at, version });
            return refresh([+id, ...(got?.pieces ?? [])]);
          }
          case "back": return showPart(`/pieces/${id}/back?leg=${encodeURIComponent(at)}&to=${encodeURIComponent(to.dataset.leg)}`);
          case "turn": return order(to, from);
        }
      },
      end() {
        inHand(piece, false);
        for (const el of root.querySelectorAll(".to-pass, .to-back, .to-unmet")) el.classList.remove("to-pass", "to-back", "to-unmet");
      },
    }, this.$refs);
    // order sends the pieces at a leg in their new order, as far as it is by hand.
    const order = async (to, from) => {
      const cards = [...cellOf(from).querySelectorAll("[data-take]")].filter((c) => c !== from);
      const place = to.dataset.drop === "turn" ? cards.indexOf(to) : cards.length;
      cards.splice(place, 0, from);
      const data = new FormData();
      for (const c of cards.slice(0, 200)) data.append("at", `${c.dataset.piece}:${c.dataset.leg}`);
      const got = await post("/order", data);
      await refresh(got?.pieces ?? [+from.dataset.piece]);
    };
  },
});
