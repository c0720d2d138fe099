// The lineup: a piece is taken to a day, a slot, another piece, a week, or the tray.
import { json } from "./ask.js";
import { Hand } from "./hand.js";
import { within } from "./sketch.js";
import { asker, carryOut, inHand } from "./move.js";

export const lineup = () => ({
  init() {
    const root = this.$root, legs = "legs" in root.dataset, dated = "dated" in root.dataset;
    let ask = null, piece = null;
    // where says what a place means for what is held.
    const where = (to, from) => {
      const d = to.dataset;
      if (legs) return { do: "pin", leg: from.dataset.leg, due: d.date };
      switch (d.drop) {
        case "day": return { do: "move", date: d.date };
        case "week": return { do: "move", week: d.date };
        case "slot": return { do: "move", at: d.at };
        case "card": return { do: "swap", with: d.piece };
        case "tray": return { do: "move", none: "yes" };
      }
    };
    this.hand = new Hand(root, {
      can(to, from) {
        const d = to.dataset;
        if (dated) return false; // it shows other dates than a hand could set
        if (legs) return d.drop === "day";
        if (d.drop === "slot" || d.drop === "card") return from.dataset.channel === d.channel && Boolean(from.closest("td") || d.drop === "slot");
        if (d.drop === "tray") return Boolean(from.closest("td"));
        return to !== from.closest("[data-drop=day]");
      },
      byKey: (to) => !["card", "slot"].includes(to.dataset.drop),
      wraps: true, // after the last day of a week comes the first of the next
      begin: (source) => {
        piece = source.dataset.piece;
        ask = asker(piece);
        if (!legs) this.stands(piece);
        return inHand(piece, true, legs ? { do: "pin", leg: source.dataset.leg } : { do: "move" });
      },
      tell: async (to, from) => (await ask(where(to, from))).lines,
      drop: async (to, from) => { const form = where(to, from); await carryOut({ ...form, piece: from.dataset.piece }, await ask(form)); },
      end: () => { inHand(piece, false); this.clear(); },
    }, this.$refs);
  },
  // stands shows on every day how the held piece would stand there.
  async stands(piece) {
    const d = this.$root.dataset, turn = (this.turn = (this.turn ?? 0) + 1);
    const got = await json(within(`/pieces/${piece}/stands?from=${d.from}&to=${d.to}`));
    if (!got || turn !== this.turn || !this.$root.classList.contains("holding")) return;
    for (const td of this.$root.querySelectorAll("td[data-drop]")) {
      const s = got.days?.[td.dataset.date];
      if (s) { td.dataset.stands = s.says; td.dataset.tone = s.tone; }
    }
  },
  clear() {
    this.turn = (this.turn ?? 0) + 1;
    for (const td of this.$root.querySelectorAll("td[data-stands]")) { delete td.dataset.stands; delete td.dataset.tone; }
  },
});
