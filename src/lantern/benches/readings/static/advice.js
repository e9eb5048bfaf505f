// Advice: other ways to look, each with the level and the time that suit it best.
import { short } from "/static/js/svg.js";
import { show } from "/static/js/units.js";

export const advice = ({ infos }) => ({
  get advice() {
    return this.isDone("advice") ? this.studies.advice.result.advice : [];
  },
  adviceText(a) {
    const q = infos[a.level_dial].shown;
    return `${short(show(q, a.low))} to ${short(show(q, a.high))} ${q.unit}, sustain ${a.changes.sustain_s} s`;
  },
  adviceScore(a) {
    return (
      `${a.misses} missed, ${a.false_alarms} false` +
      `${a.longest_delay_s === null ? "" : `, within ${short(a.longest_delay_s, 3)} s`}` +
      `; ${a.sureness < 10 ? short(a.sureness, 2) : Math.round(a.sureness)} times the noise wide`
    );
  },
  tryAdvice(a) {
    this.remember();
    Object.assign(this.dials, a.changes);
    this.resetTexts();
    this.refresh();
    this.tab = "dials";
  },
});
