// Counts against counts by hand: intervals, errors with their intervals.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { ask } from "/static/js/http.js";
import { el, redraw, short, ticks } from "/static/js/svg.js";
import { many } from "/static/js/units.js";

const WIDTH = 332;

export const counting = ({ data }) => ({
  counts: null,
  everyS: 60,
  who: null,

  countsRenewed() {
    if (this.tab === "counts") this.fetchCounts();
  },
  async fetchCounts() {
    if (!data.counts) return;
    try {
      ({ counts: this.counts } = await this.post(["counts"], { also: { every_s: this.everyS, who: this.who } }));
      this.who = this.counts.who;
      this.$nextTick(() => this.drawCounts());
    } catch (error) {
      this.explain(error);
    }
  },
  setEvery(text) {
    this.everyS = Number(text);
    this.fetchCounts();
  },
  setWho(text) {
    this.who = Number(text);
    this.fetchCounts();
  },
  get countCautions() {
    return this.counts?.cautions ?? [];
  },
  get observers() {
    return this.counts?.observers ?? [];
  },
  percentText(value) {
    return value === null || value === undefined ? "nobody passed" : `${(100 * value).toFixed(1)} %`;
  },
  signed(value) {
    return value === null || value === undefined
      ? "nobody passed"
      : `${value > 0 ? "+" : ""}${(100 * value).toFixed(1)} %`;
  },
  biasText(way) {
    const a = this.counts?.audit[way];
    return !a
      ? ""
      : a.bias_low === null
        ? this.signed(a.bias)
        : `${this.signed(a.bias)} (${this.signed(a.bias_low)} to ${this.signed(a.bias_high)})`;
  },
  caughtText(way) {
    const a = this.counts?.audit[way];
    return !a || a.caught_low === null
      ? ""
      : `${a.caught} of ${a.by_hand} (${Math.round(100 * a.caught_low)} to ` +
          `${Math.round(100 * a.caught_high)} %), ${a.extra} extra`;
  },
  way(way, key) {
    return this.counts?.audit[way]?.[key] ?? "";
  },
  get sureText() {
    const c = this.counts;
    if (!c || !c.needs)
      return c && this.observers.length === 0
        ? "Nobody has counted this take by hand yet: make a tally, or bring a file start_s,end_s,in,out."
        : "";
    const enough = c.needs.enough ? "enough" : "too few";
    const differ = c.differ === null ? "" : ` Two people differ by ${(100 * c.differ).toFixed(1)} %.`;
    return (
      `${many(c.needs.has, "passage")}: ${enough}; ${c.needs.passages} would show the caught share to within ` +
      `${100 * c.needs.error} %.${differ}`
    );
  },
  get occupancyText() {
    const c = this.counts;
    if (!c) return "";
    const off = (n) => `${n > 0.5 ? "+" : ""}${Math.round(n)}`;
    const drift = c.drift
      ? ` After ${c.drift.visitors} visitors it would be ${off(c.drift.mean)} off ` +
        `(${off(c.drift.low)} to ${off(c.drift.high)}, 95 %).`
      : c.needs
        ? ` ${many(c.needs.has, "passage")} by hand: too few to say how far it drifts; ${c.foretelling} begin to tell.`
        : "";
    return `${c.inside} inside at the end${c.clamped ? `, ${c.clamped} left who had never come in` : ""}.${drift}`;
  },
  get heightText() {
    const h = this.counts?.height;
    return h
      ? `Heights at ${h.at_m} m are good to ${(100 * h.error_m).toFixed(1)} cm` +
          `${h.too_coarse ? ": too coarse for a height filter" : ""}` +
          `. Two who follow 0.8 m apart are ${h.headway_s} s or ${h.headway_frames} frames apart.`
      : "";
  },
  drawCounts() {
    const svg = this.$refs.counts;
    const lines = this.counts?.audit.intervals ?? [];
    if (!svg || lines.length === 0) return;
    const HEIGHT = 132;
    const base = 62;
    const most = Math.max(...lines.map((l) => Math.max(l.in, l.in_by_hand, l.out, l.out_by_hand)), 1);
    const end = lines[lines.length - 1].end_s;
    const x = (t) => 26 + (t / end) * (WIDTH - 32);
    const h = (n) => (n / most) * 52;
    svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
    svg.style.height = `${HEIGHT}px`;
    const parts = [];
    for (const n of ticks(0, most, 2))
      for (const sign of n ? [1, -1] : [1])
        parts.push(
          el("line", { class: "grid", x1: 26, x2: WIDTH - 6, y1: base - sign * h(n), y2: base - sign * h(n) }),
          el("text", { class: "tick", x: 22, y: base - sign * h(n) + 3, "text-anchor": "end" }, short(n)),
        );
    for (const l of lines) {
      const [a, b] = [x(l.start_s), x(l.end_s)];
      const w = Math.max(b - a - 1.5, 1);
      for (const [way, sign] of [
        ["in", 1],
        ["out", -1],
      ]) {
        const [n, truth] = [l[way], l[`${way}_by_hand`]];
        parts.push(
          el(
            "rect",
            { class: `count-${way}`, x: a + 0.75, width: w, y: sign > 0 ? base - h(n) : base, height: h(n) },
            el("title", {}, `${way}: ${n} counted, ${truth} by hand`),
          ),
        );
        if (this.observers.length)
          parts.push(
            el("path", {
              class: n === truth ? "by-hand" : "by-hand differs",
              d: `M${a} ${base - sign * h(truth)}H${b}`,
            }),
          );
      }
    }
    parts.push(
      el("line", { class: "axis-line", x1: 26, x2: WIDTH - 6, y1: base, y2: base }),
      el("text", { class: "name", x: 30, y: 11, "text-anchor": "start" }, "in"),
      el("text", { class: "name", x: 30, y: HEIGHT - 14, "text-anchor": "start" }, "out"),
    );
    for (const t of ticks(0, end / 60, 5))
      parts.push(
        el("text", { class: "tick", x: x(t * 60), y: HEIGHT - 1, "text-anchor": "middle" }, `${short(t)} min`),
      );
    redraw(svg, parts);
  },
  exportCounts(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.counts, "counts");
    return saveCsv(
      [
        ["start_s", "end_s", "in", "in_by_hand", "out", "out_by_hand"],
        ...this.counts.audit.intervals.map((l) => [l.start_s, l.end_s, l.in, l.in_by_hand, l.out, l.out_by_hand]),
      ],
      "counts",
    );
  },
  // the error as it is handed to whoever asked for the counts
  exportAudit() {
    const who = this.observers.find((o) => o.id === this.who);
    const rows = ["in", "out"].map((way) => {
      const a = this.counts.audit[way];
      return [
        way,
        a.counted,
        a.by_hand,
        a.bias,
        a.bias_low,
        a.bias_high,
        a.wape,
        a.caught,
        a.caught_low,
        a.caught_high,
        a.extra,
        this.everyS,
        who?.who ?? "",
      ];
    });
    saveCsv(
      [
        [
          "direction",
          "counted",
          "by_hand",
          "error",
          "error_low",
          "error_high",
          "interval_by_interval",
          "caught",
          "caught_low",
          "caught_high",
          "extra",
          "interval_s",
          "counted_by",
        ],
        ...rows,
      ],
      "counting-error",
    );
  },
  async importCounts(files) {
    if (!files.length) return;
    try {
      await ask(
        "PUT",
        `/takes/${data.take.id}/counts.csv?who=${encodeURIComponent(files[0].name)}`,
        await files[0].arrayBuffer(),
        { raw: true },
      );
      this.who = null;
      await this.fetchCounts();
    } catch (error) {
      this.explain(error);
    }
  },
  async removeCounts() {
    if (this.who === null) return;
    try {
      await ask("DELETE", `/counts/${this.who}`);
      this.who = null;
      await this.fetchCounts();
    } catch (error) {
      this.explain(error);
    }
  },
});
