// A tally: somebody counts by hand while the take plays, blind to what the device counts.
import { ask } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { copy } from "/static/tune/bench/dials.js";

export const tally = ({ data, drawn }) => ({
  tally: null, // { who, passages, saved }

  startTally() {
    this.tally = { who: data.user, passages: [], saved: false };
    this.blind(true);
    drawn.view.setObject(-1);
    this.life = null;
    drawn.view.drawTracks();
    this.seek(0, true);
  },
  endTally() {
    this.tally = null;
    this.playing = false;
    this.blind(false);
    drawn.view.drawTracks();
  },
  // who counts must not see what the device made of it: no verdicts, no score, no curve
  blind(on) {
    drawn.view.hideTracks = drawn.view.blind = on;
    this.$root.classList.toggle("blind", on);
  },
  tallied(way) {
    return this.tally.passages.filter((p) => p[1] === way).length;
  },
  countPassage(way) {
    if (this.tally) this.tally.passages.push([Number(this.t.toFixed(2)), way]);
  },
  takeBack() {
    this.tally?.passages.pop();
  },
  holdsKeys(event) {
    if (!this.tally) return false;
    const keys = {
      i: () => this.countPassage("in"),
      o: () => this.countPassage("out"),
      u: () => this.takeBack(),
      " ": () => this.play(),
      b: () => this.seek(this.t - 5, true),
      ArrowLeft: () => this.step(-1),
      ArrowRight: () => this.step(1),
    };
    if (!keys[event.key]) return true;
    event.preventDefault();
    keys[event.key]();
    return true;
  },
  get lastTallied() {
    const last = this.tally?.passages.at(-1);
    return last ? `last: ${last[1]} at ${short(last[0], 5)} s` : "";
  },
  async saveTally() {
    try {
      const made = await ask("POST", `/takes/${data.take.id}/tallies`, {
        who: this.tally.who,
        passages: copy(this.tally.passages),
      });
      this.endTally();
      this.who = made.id;
      this.tab = "counts";
      await this.fetchCounts();
    } catch (error) {
      this.explain(error);
    }
  },
  get hidesCounts() {
    return this.tally !== null;
  },
});
