// Where a counting line should lie: the search's map of angles and offsets, its pick, and any other that is tried.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { el, redraw, short, ticks } from "/static/js/svg.js";
import { ask } from "/static/js/http.js";
import { many } from "/static/js/units.js";

const WIDTH = 332;

export const lineMap = ({ data, shown, studied }) => {
  shown.regions = studied.line = (page) => page.drawLineMap();
  return {
    get lineMap() {
      const s = this.studies.line;
      return s?.state === "done" ? s.result : null;
    },
    async askLine() {
      await this.askStudy("line");
    },
    lineText() {
      const m = this.lineMap;
      if (!m) return "";
      if (m.few)
        return (
          `${many(m.passages, "passage")} by hand: too few to propose a line, ${m.few} at least. ` +
          "The map shows what they say."
        );
      if (m.pick === null) return "No line in this picture leaves room enough to its edges.";
      return (
        `${(100 * m.now).toFixed(1)} % of ${m.passages} passages are wrong now; the pick: ` +
        `${(100 * m.error[m.pick[0]][m.pick[1]]).toFixed(1)} %, the middle of the widest stretch that is as ` +
        `good. ${m.validation[0].toUpperCase()}${m.validation.slice(1)}.${m.caution ? ` ${m.caution}.` : ""}`
      );
    },
    drawLineMap() {
      const m = this.lineMap;
      const svg = this.$refs.lineMap;
      if (!m || !svg) return;
      const HEIGHT = 132;
      const [left, top] = [34, 6];
      const [w, h] = [(WIDTH - left - 4) / m.offsets_px.length, (HEIGHT - top - 26) / m.angles_deg.length];
      svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
      const known = m.error.flat().filter((v) => v !== null);
      const [best, worst] = [Math.min(...known), Math.max(...known)];
      const parts = [
        el("rect", {
          class: "frame",
          x: left,
          y: top,
          width: w * m.offsets_px.length,
          height: h * m.angles_deg.length,
        }),
      ];
      m.error.forEach((row, r) =>
        row.forEach((v, c) => {
          const cell = el("rect", {
            class: v === null ? "cell-out" : "cell-error",
            x: left + c * w,
            y: top + r * h,
            width: w + 0.3,
            height: h + 0.3,
            "fill-opacity": v === null ? null : (0.08 + (0.92 * (v - best)) / Math.max(worst - best, 1e-9)).toFixed(3),
            "data-row": r,
            "data-column": c,
          });
          cell.append(
            el(
              "title",
              {},
              v === null
                ? "no room to the picture's edge"
                : `${short(m.offsets_px[c], 3)} px, ${short(m.angles_deg[r], 3)}°: ${(100 * v).toFixed(1)} % wrong`,
            ),
          );
          parts.push(cell);
        }),
      );
      if (m.pick)
        parts.push(
          el("rect", { class: "picked", x: left + m.pick[1] * w, y: top + m.pick[0] * h, width: w, height: h }),
        );
      for (const px of ticks(m.offsets_px[0], m.offsets_px.at(-1), 4))
        parts.push(
          el(
            "text",
            {
              class: "tick",
              x: left + ((px - m.offsets_px[0]) / (m.offsets_px.at(-1) - m.offsets_px[0])) * w * m.offsets_px.length,
              y: HEIGHT - 13,
              "text-anchor": "middle",
            },
            short(px),
          ),
        );
      for (const deg of [-30, 0, 30])
        parts.push(
          el(
            "text",
            {
              class: "tick",
              x: left - 4,
              y: top + ((deg + 30) / 60) * h * m.angles_deg.length + 4,
              "text-anchor": "end",
            },
            `${deg}°`,
          ),
        );
      parts.push(el("text", { class: "name", x: left, y: HEIGHT - 2 }, "moved by px towards B, turned by degrees"));
      redraw(svg, parts);
    },
    // a click on the map tries that line; the server says where it lies
    async pickLine(event) {
      const cell = event.target.closest("[data-row]");
      if (cell) await this.tryLine(Number(cell.dataset.row), Number(cell.dataset.column));
    },
    async tryLine(row, column) {
      const m = this.lineMap;
      const { points } = await ask("POST", `/bench/${data.detectorId}/line`, {
        take: data.take.id,
        detector: this.studies.line.asked.detector,
        offset_px: m.offsets_px[column],
        angle_deg: m.angles_deg[row],
      });
      const index = this.regions.findIndex((r) => r.shape === "line" && (r.role ?? "watch") === "watch");
      this.setRegion(index, { points });
    },
    takeLine() {
      const m = this.lineMap;
      if (m?.pick) return this.tryLine(...m.pick);
    },
    exportLineMap(as) {
      const m = this.lineMap;
      if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.lineMap, "line-search");
      return saveCsv(
        [
          ["offset_px", "angle_deg", "wrong"],
          ...m.error.flatMap((row, r) => row.map((v, c) => [m.offsets_px[c], m.angles_deg[r], v])),
        ],
        "line-search",
      );
    },
  };
};
