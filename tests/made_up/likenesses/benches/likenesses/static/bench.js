// The bench of likenesses: who came, who they truly were, and the curve.
import { ask } from "/static/js/http.js";
import { el, redraw } from "/static/js/svg.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(({ data }) => ({
  people: [],
  curve: [],

  fetchOnce() {
    this.judgeFirst().catch((error) => this.explain(error));
    this.evidenceRenewed();
  },
  async judgeFirst() {
    ({ people: this.people } = await this.post(["people"]));
  },
  async evidenceRenewed() {
    ({ curve: this.curve } = await this.post(["curve"]));
    this.drawCurve();
  },
  drawCurve() {
    const [most, svg] = [Math.max(...this.curve.flatMap(([, a, b]) => [a, b]), 1), this.$refs.curve];
    const line = (name, column) =>
      el("polyline", {
        class: name,
        fill: "none",
        stroke: name === "confused" ? "var(--oxide)" : "var(--plum)",
        points: this.curve.map((row) => `${row[0] * 320},${120 - (row[column] / most) * 110}`).join(" "),
      });
    redraw(svg, [line("confused", 1), line("unknown", 2)]);
  },
  // What is being typed stays, whatever answer comes meanwhile.
  showTruth(field, person) {
    const { truth } = person;
    if (document.activeElement !== field) field.value = truth;
  },
  async say(person, text) {
    try {
      await ask("PUT", `/takes/${data.take.id}/truths`, { object: person.probe, at_s: person.at_s, text });
      await this.judgeFirst();
      this.judgeSoon();
      this.stripsSoon();
    } catch (error) {
      this.explain(error);
    }
  },
}));
