// Two judgements of one take, one above the other on the same clock.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { pageData } from "/static/js/http.js";
import { clock } from "/static/js/svg.js";
import { TimeAxis, lanesOf } from "./timeaxis.js";
import { quantityOf } from "/static/js/units.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("compare", () => {
    const data = pageData();
    const axes = [];
    return {
      get moments() {
        const list = (times, word) =>
          times.map((t) => ({ t, key: `${word}${t}`, text: `${clock(data.take, t, true)}, only the ${word}` }));
        return data.only
          ? [...list(data.only.gone, "first"), ...list(data.only.new, "second")].sort((a, b) => a.t - b.t).slice(0, 40)
          : [];
      },
      init() {
        if (!data.take) return;
        data.sides.forEach((side, index) => {
          const { axis: named, raises, truth } = data.frames[index];
          if (!named) return;
          const quantity = quantityOf(side.readings);
          const axis = new TimeAxis(this.$refs[index ? "second" : "first"], data.take, {
            lanes: lanesOf({ raises, truth }),
            named,
            readingHeight: 96,
            left: 92,
            quantity,
            on: {
              cursor: (t) => this.seek(t),
              pick: (i) => this.seek(side.events[i].raised_s),
              mark: (mark) => this.seek(mark.start_s),
            },
          });
          axis.set({
            readings: side.readings,
            events: side.events ?? [],
            marks: data.marks,
            missed: side.missed ?? [],
            unknown: side.unknown,
            level: side.line?.level ?? null,
          });
          axes.push(axis);
        });
      },
      exportAxis(which, as) {
        if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs[which], which);
        const { events = [] } = data.sides[which === "first" ? 0 : 1];
        return saveCsv(
          [
            ["raised_s", "cleared_s", "region", "verdict"],
            ...events.map((e) => [e.raised_s, e.cleared_s, e.region, e.verdict]),
          ],
          which,
        );
      },
      seek(t) {
        for (const axis of axes) axis.setCursor(t);
      },
    };
  });
});
