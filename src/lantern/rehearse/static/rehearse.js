// Rehearsal: lanes on one axis, and the reasons that the server gave.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { pageData } from "/static/js/http.js";
import { clock, short } from "/static/js/svg.js";
import { TimeAxis, lanesOf } from "/static/tune/timeaxis.js";
import { fixed, quantityOf } from "/static/js/units.js";

const PATHS = {
  hit: "M6 0.8 11.2 6 6 11.2 0.8 6Z",
  false: "M1.5 1.5 10.5 10.5M10.5 1.5 1.5 10.5",
  repeat: "M3.4 6a2.6 2.6 0 1 0 5.2 0a2.6 2.6 0 1 0-5.2 0Z",
  ignored: "M1 1h10v10H1Z",
  plain: "M2.4 6a3.6 3.6 0 1 0 7.2 0a3.6 3.6 0 1 0-7.2 0Z",
};

document.addEventListener("alpine:init", () => {
  window.Alpine.data("rehearse", () => {
    const data = pageData();
    let axis = null;
    return {
      events: data.judged.events,
      refusals: data.refusals,
      whatOf: (e) => e.region ?? e.text ?? "",
      marks: data.marks,
      links: data.links,
      chosen: -1,
      init() {
        const outputs = [...new Set(data.links.flatMap((l) => l.outputs))];
        const quantity = quantityOf(data.readings);
        if (!data.frame.axis) return;
        axis = new TimeAxis(this.$refs.axis, data.take, {
          lanes: lanesOf(data.frame, [
            ...data.links.map((l) => `armed:${l.name}`),
            ...outputs.map((o) => `effects:${o}`),
          ]),
          named: data.frame.axis,
          readingHeight: 150,
          left: 136,
          quantity,
          on: { pick: (index) => this.pick(index), mark: (mark) => this.seek(mark.start_s) },
        });
        axis.set({
          readings: data.readings,
          events: data.judged.events,
          marks: data.marks,
          effects: data.judged.effects,
          armed: data.judged.armed,
          missed: data.judged.missed,
          unknown: data.judged.unknown,
          level: data.judged.line?.level ?? null,
        });
        const at = Number(new URLSearchParams(location.search).get("event") ?? -1);
        if (at >= 0 && at < this.events.length) this.pick(at);
      },
      at: (t) => clock(data.take, t, true),
      verdict(e) {
        return { hit: "Hit", false: "False alarm", repeat: "Repeat", ignored: "Ignored", plain: "Began" }[e.verdict];
      },
      glyphClass(e) {
        return `glyph-${e.verdict}`;
      },
      glyphPath(e) {
        return PATHS[e.verdict];
      },
      lasted(e) {
        const lasts = e.cleared_s === null ? "raised to the end" : `${short(e.cleared_s - e.raised_s, 3)} s`;
        if (e.object !== null)
          return (
            `object ${e.object}${e.direction ? `, ${e.direction.replaceAll("_", " ")}` : ""}` +
            `${e.cleared_s === e.raised_s ? "" : `, ${lasts}`}`
          );
        return `peak ${fixed(quantityOf(data.readings), e.peak)}, ${lasts}`;
      },
      isMissed(mark) {
        return data.judged.missed.includes(mark.id);
      },
      why(mark) {
        return data.judged.marks[mark.id]?.text ?? "";
      },
      linkWords(link) {
        return link.timetable ? `${link.timetable}, ${link.summary}` : link.summary;
      },
      pick(index) {
        this.chosen = index;
        axis?.set({ chosen: index });
        this.seek(this.events[index].raised_s);
        const url = new URL(location.href);
        url.searchParams.set("event", index);
        history.replaceState(null, "", url);
      },
      seek(t) {
        axis?.setCursor(t);
      },
      exportAxis(as) {
        if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.axis, "rehearsal");
        return saveCsv(
          [
            ["raised_s", "cleared_s", "region", "verdict", "outcome"],
            ...this.events.map((e) => [e.raised_s, e.cleared_s, e.region, e.verdict, e.outcome.text]),
          ],
          "rehearsal",
        );
      },
    };
  });
});
