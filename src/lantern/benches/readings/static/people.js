// The people of a skin-temperature screening: everybody by temperature, and how well it tells the marked ones.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { ask } from "/static/js/http.js";
import { drawPeople, drawRoc } from "./roc.js";
import { fixed, show } from "/static/js/units.js";

export const people = ({ data }) => ({
  people: null,

  evidenceRenewed() {
    if (this.tab === "people") return this.fetchPeople();
  },
  async fetchPeople() {
    if (data.detector.kind !== "skin") return;
    try {
      this.people = await ask("POST", `/bench/${data.detectorId}/people`, { take: data.take.id, detector: this.draft });
      this.$nextTick(() => {
        drawPeople(
          this.$refs.people,
          this.people.people,
          this.people.people.at(-1)?.threshold_c ?? this.dials.threshold_c,
          data.scale.level,
        );
        const { sensitivity, specificity } = this.people.shares;
        if (this.people.roc)
          drawRoc(
            this.$refs.roc,
            this.people.roc,
            sensitivity === null || specificity === null ? null : { sensitivity, false_share: 1 - specificity },
          );
      });
    } catch (error) {
      this.explain(error);
    }
  },
  exportPeople(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.people, "people");
    const q = data.scale.level;
    return saveCsv(
      [
        ["from_s", "to_s", `temperature ${q.unit}`, `threshold ${q.unit}`, "asked_aside", "marked_warm"],
        ...this.people.people.map((p) => [p.start_s, p.end_s, show(q, p.c), show(q, p.threshold_c), p.beyond, p.warm]),
      ],
      "people",
    );
  },
  exportRoc(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.roc, "roc");
    const { roc } = this.people;
    return saveCsv(
      [
        [`threshold ${data.scale.level.unit}`, "sensitivity", "1 - specificity"],
        ...roc.thresholds.map((c, i) => [
          c === null ? "" : show(data.scale.level, c),
          roc.sensitivity[i],
          roc.false_share[i],
        ]),
      ],
      "roc",
    );
  },
  get noRoc() {
    return !this.people?.roc;
  },
  percent(value) {
    return value === null || value === undefined ? "nobody" : `${Math.round(1000 * value) / 10} %`;
  },
  interval(pair) {
    return pair ? `${Math.round(100 * pair[0])} to ${Math.round(100 * pair[1])} %` : "";
  },
  get refusedText() {
    return (
      Object.entries(this.people?.refused ?? {})
        .map(([why, n]) => `${why} ${n}`)
        .join(", ") || "none"
    );
  },
  get peopleText() {
    const p = this.people;
    return p ? `${p.people.length} measured, ${p.people.filter((v) => v.beyond).length} asked aside` : "";
  },
  get rocText() {
    const roc = this.people?.roc;
    return roc
      ? `area ${roc.area.toFixed(3)}; best by Youden at ${fixed(data.scale.level, roc.youden_c, 2)} (J ` +
          `${roc.youden_j.toFixed(2)})`
      : "no mark says who is too warm";
  },
});
