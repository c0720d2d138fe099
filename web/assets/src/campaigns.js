// The ends of a campaign, dragged to another day: what that would mean is shown before it is done.
import { dayAt, isoDay } from "./months.js";

export const campaigns = () => ({
  init() {
    const root = this.$root, months = Number(root.dataset.months), first = root.dataset.first;
    root.addEventListener("pointerdown", (e) => {
      const end = e.target.closest("[data-end]");
      if (!end || e.button) return;
      e.preventDefault();
      const strip = end.ownerSVGElement, bar = strip.querySelector("[data-bar]"), { from, to, id } = strip.dataset;
      const days = { from, to };
      end.setPointerCapture(e.pointerId);
      const move = (m) => {
        const box = strip.getBoundingClientRect(), share = (m.clientX - box.left) / box.width;
        const on = dayAt(first, months, share);
        if (end.dataset.end === "from" ? on > days.to : on < days.from) return;
        days[end.dataset.end] = on;
        const x = Math.min(1, Math.max(0, share)) * 1000, left = Number(bar.getAttribute("x")), right = left + Number(bar.getAttribute("width"));
        end.setAttribute("x", x - 4);
        if (end.dataset.end === "from") { bar.setAttribute("x", x); bar.setAttribute("width", Math.max(1, right - x)); }
        else bar.setAttribute("width", Math.max(1, x - left));
        this.$refs.tip.hidden = false;
        this.$refs.tip.textContent = isoDay(on);
        this.$refs.tip.style.left = `${m.pageX + 12}px`;
        this.$refs.tip.style.top = `${m.pageY + 12}px`;
      };
      const done = () => {
        end.removeEventListener("pointermove", move);
        end.removeEventListener("pointerup", done);
        end.removeEventListener("pointercancel", cancel);
        if (days.from !== from || days.to !== to) location.assign(`/campaigns/${id}?from=${days.from}&to=${days.to}`);
      };
      const cancel = () => location.reload();
      end.addEventListener("pointermove", move);
      end.addEventListener("pointerup", done);
      end.addEventListener("pointercancel", cancel);
    });
  },
});
