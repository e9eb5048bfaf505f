// The time axis of a bench: cursor, playing, scrubbing; readings, marks and events on it.
import { savePng, saveSvg } from "/static/js/export.js";
import { clock } from "/static/js/svg.js";
import { TimeAxis, lanesOf } from "/static/tune/timeaxis.js";
import { quantityOf } from "/static/js/units.js";

const READING_PX = 92;
const MOST_OUTPUTS = 2;
const [ABOVE_PX, OTHER_LANES_PX] = [140, 170]; // of a page that is wide enough for two columns

// Where the evidence lies along no axis.
export const noTimeline = () => ({
  t: 0,
  playing: false,
  firstMoment: () => 0,
  startAxis() {},
  drawAxis() {},
  lineLevel: () => null,
  seek() {},
  showReadings() {},
});

export const timeline = ({ data, drawn, keys }) => {
  Object.assign(keys, {
    " ": (page) => page.play(),
    ArrowLeft: (page, step) => page.step(-step),
    ArrowRight: (page, step) => page.step(step),
  });
  return {
    t: 0,
    playing: false,
    speed: "4",

    get timeText() {
      return clock(data.take, this.t, true);
    },
    firstMoment() {
      const events = data.saved.events ?? [];
      const first = events.find((e) => e.verdict === "hit") ?? events[0];
      return first ? first.raised_s + 4 * data.take.intervalS : 0;
    },
    startAxis(readings) {
      const outputs = [...new Set((data.saved.effects ?? []).map((e) => e.output))].slice(0, MOST_OUTPUTS);
      const alone = this.$root.classList.contains("alone"); // where nothing is drawn above it, it has the room
      const room = alone ? innerHeight - ABOVE_PX - OTHER_LANES_PX : 0;
      drawn.axis = new TimeAxis(this.$refs.axis, data.take, {
        lanes: lanesOf(
          data.frame,
          outputs.map((name) => `effects:${name}`),
        ),
        readingHeight: Math.max(READING_PX, room),
        left: alone ? 100 : 214,
        quantity: this.readingQuantity(readings),
        named: data.frame.axis,
        on: {
          cursor: (t) => this.seek(t, false),
          level: (value) => {
            const name = this.judged.line?.dial;
            if (name) this.setDial(name, this.onStep(name, value), true);
          },
          levelDone: () => this.settle(),
          mark: (mark) => this.pickMark(mark),
          ...this.markedByHand(),
          pick: (index) => this.pickEvent(index),
        },
      });
      drawn.axis.own = data.detector.name;
      drawn.axis.set({ readings });
      this.drawAxis();
    },
    readingQuantity(readings) {
      return quantityOf(readings);
    },
    showReadings(readings) {
      drawn.axis.quantity = this.readingQuantity(readings);
      drawn.axis.set({ readings, lane: null });
    },
    lineLevel() {
      const line = this.judged.line;
      return !line ? null : line.dial ? this.dials[line.dial] : line.level;
    },
    drawAxis() {
      const level = this.lineLevel();
      const line = this.judged.line; // where it clears moves with the level while a hand drags it
      const relaxed = level === null || line.clears === null ? null : line.clears + level - line.level;
      drawn.axis.set({
        events: this.events,
        effects: this.judged.effects ?? [],
        missed: this.judged.missed ?? [],
        unknown: this.judged.unknown,
        marks: this.marks,
        level,
        relaxed,
        chosenMark: this.chosenMark,
        chosen: this.chosenEvent,
      });
    },

    seek(t, move) {
      this.t = Math.min(Math.max(t, 0), data.take.lengthS);
      if (move) drawn.axis.setCursor(this.t);
      if (!this.playing) this.writeAddress();
      this.showAt(this.t);
    },
    play() {
      this.playing = !this.playing;
      if (!this.playing) return this.writeAddress();
      let last = performance.now();
      const tick = (time) => {
        if (!this.playing) return;
        const next = this.t + ((time - last) / 1000) * Number(this.speed);
        if (next - this.t >= Math.max(data.take.intervalS, Number(this.speed) / 30)) {
          // no sooner than there is another frame, nor more than 30 a second
          last = time;
          if (next >= data.take.lengthS) this.playing = false;
          this.seek(next, true);
        }
        if (this.playing) requestAnimationFrame(tick);
      };
      requestAnimationFrame(tick);
    },
    step(by) {
      this.seek(this.t + by * data.take.intervalS, true);
    },
    exportAxis(as) {
      (as === "svg" ? saveSvg : savePng)(this.$refs.axis, "time-axis");
    },
  };
};
