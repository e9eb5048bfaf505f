// Marks: dragged on the axis, from an event, from and to a file; undone and redone by what undoes them.
import { ask } from "/static/js/http.js";
import { may } from "/static/js/roles.js";
import { short } from "/static/js/svg.js";

const VERDICTS = { hit: "hit", false: "false alarm", repeat: "repeat", ignored: "ignored", plain: "began" };

// Where nothing is marked.
export const noMarks = () => ({
  marks: [],
  markStart: null,
  marksDone: [],
  marksUndone: [],
  chosenMark: null,
  chosenEvent: null,
  markChosen: null,
  eventChosen: null,
  pickEvent() {},
  pickMark() {},
  markedByHand: () => ({}),
  undoMark() {},
  redoMark() {},
});

export const marks = ({ data, keys }) => {
  Object.assign(keys, { "[": (page) => page.jump(-1), "]": (page) => page.jump(1) });
  if (may("operator"))
    Object.assign(keys, {
      m: (page) => page.startOrEndMark(),
      y: (page) => page.judgeEvent(true),
      n: (page) => page.judgeEvent(false),
    });
  return {
    marks: data.marks,
    chosenMark: null,
    chosenEvent: null,
    markStart: null,
    marksDone: [],
    marksUndone: [],
    marksSent: Promise.resolve(),

    get markChosen() {
      return this.marks.find((m) => m.id === this.chosenMark) ?? null;
    },
    get eventChosen() {
      return this.chosenEvent === null ? null : (this.events[this.chosenEvent] ?? null);
    },
    get eventText() {
      const e = this.eventChosen;
      if (!e) return "";
      const lasts = e.cleared_s === null ? "raised to the end" : `${short(e.cleared_s - e.raised_s, 3)} s`;
      return [`${VERDICTS[e.verdict]}, ${e.region ?? "everywhere"}, ${lasts}.`, e.outcome.text, ...e.more].join(" ");
    },
    // What is being typed stays, whatever answer comes meanwhile; what nobody took over goes when the field is left.
    showIn(field, key, left = false) {
      const text = key === "note" ? (this.markChosen?.note ?? "") : this.markTime(key);
      if (left || document.activeElement !== field) field.value = text;
    },
    markTime(key) {
      return this.markChosen ? short(this.markChosen[key], 7) : "";
    },
    get markWhy() {
      return this.judged.marks?.[this.chosenMark]?.text ?? "";
    },
    pickEvent(index) {
      this.chosenEvent = index;
      this.chosenMark = null;
      this.seek(this.events[index].raised_s, true);
      this.drawAxis();
      this.eventPicked?.(this.events[index]);
    },
    pickMark(mark) {
      this.chosenMark = mark.id;
      this.chosenEvent = null;
      this.drawAxis();
    },

    jump(direction) {
      const moments = [...this.events.map((e) => e.raised_s), ...this.marks.map((m) => m.start_s)].sort(
        (a, b) => a - b,
      );
      const next = direction > 0 ? moments.find((t) => t > this.t + 0.01) : moments.findLast((t) => t < this.t - 0.01);
      if (next === undefined) return;
      const event = this.events.findIndex((e) => e.raised_s === next);
      if (event >= 0) this.pickEvent(event);
      else this.seek(next, true);
    },

    // What a hand does on the marks lane, where it may.
    markedByHand() {
      if (!may("operator")) return {};
      return {
        markDone: (mark, edge) =>
          this.changeMark(mark.id, {
            start_s: mark.start_s,
            end_s: mark.end_s,
            ...(edge === "start" ? { lead_s: 0 } : {}), // now somebody has said when it began
          }),
        newMark: (start, end) => this.addMark({ start_s: start, end_s: end, label: "expect", detector: "", note: "" }),
      };
    },

    startOrEndMark() {
      if (this.markStart === null) {
        this.markStart = this.t;
        return;
      }
      const [a, b] = [Math.min(this.markStart, this.t), Math.max(this.markStart, this.t)];
      this.markStart = null;
      if (b > a) this.addMark({ start_s: a, end_s: b, label: "expect", detector: "", note: "" });
    },
    // "this was right" or "this was wrong": a mark over the event, for this detector
    judgeEvent(right) {
      const e = this.eventChosen;
      if (!e) return;
      this.addMark(e.marks[right ? "right" : "wrong"]);
    },
    async addMark(values) {
      const mark = await this.sendMark("POST", `/takes/${data.take.id}/marks`, values);
      if (mark) {
        this.chosenEvent = null;
        this.noteMark({ undo: { remove: mark.id }, redo: { add: values } });
      }
    },
    async changeMark(id, change) {
      const { id: _, ...before } = this.marks.find((m) => m.id === id);
      const after = { ...before, ...change };
      this.putMark({ id, ...after }); // follows the hand at once; the answer confirms it, or it is put back
      // In the order of the hand
      this.marksSent = this.marksSent.then(() => this.sendMark("PUT", `/marks/${id}`, after));
      if (await this.marksSent) {
        this.noteMark({ undo: { change: id, values: before }, redo: { change: id, values: after } });
      } else if (this.stands(id, after)) this.putMark({ id, ...before });
    },
    // Is a mark still as it was sent? An answer that comes later than the next change says nothing any more.
    stands(id, values) {
      const { id: _, ...now } = this.marks.find((m) => m.id === id) ?? {};
      return JSON.stringify(now) === JSON.stringify(values);
    },
    putMark(mark) {
      this.marks = this.marks.map((m) => (m.id === mark.id ? mark : m));
      this.drawAxis();
    },
    async deleteMark() {
      const { id, ...values } = this.markChosen;
      if (await this.sendMark("DELETE", `/marks/${id}`)) this.noteMark({ undo: { add: values }, redo: { remove: id } });
    },
    noteMark(step) {
      this.marksDone.push(step);
      this.marksUndone = [];
    },
    async undoMark() {
      await this.repeatMark(this.marksDone, this.marksUndone, "undo");
    },
    async redoMark() {
      await this.repeatMark(this.marksUndone, this.marksDone, "redo");
    },
    async repeatMark(from, to, way) {
      const step = from.pop();
      if (!step) return;
      const { add, remove, change, values } = step[way];
      if (add) {
        const made = await this.sendMark("POST", `/takes/${data.take.id}/marks`, add);
        const other = way === "undo" ? "redo" : "undo"; // the mark has a new number now
        if (made && step[other].remove) step[other].remove = made.id;
      } else if (remove) await this.sendMark("DELETE", `/marks/${remove}`);
      else {
        this.putMark({ id: change, ...values });
        await this.sendMark("PUT", `/marks/${change}`, values);
      }
      to.push(step);
    },
    async sendMark(method, url, body) {
      try {
        const answer = await ask(method, url, body);
        if (method === "POST") {
          this.marks = [...this.marks, answer];
          this.chosenMark = answer.id;
        }
        if (method === "PUT" && this.stands(answer.id, body)) this.putMark(answer);
        if (method === "DELETE") {
          this.marks = this.marks.filter((m) => m.id !== answer.deleted);
          this.chosenMark = null;
        }
        this.trouble = "";
        this.marksChanged().catch((error) => this.explain(error));
        // what it does to the score follows; undo need not wait for it
        return answer;
      } catch (error) {
        this.explain(error);
        return null;
      }
    },
    async marksChanged() {
      this.drawAxis();
      const saved = {
        ...data.detector,
        dials: this.saved.dials,
        regions: this.saved.regions,
        timetable: this.saved.timetable,
        ...this.saved.own,
      };
      const { judged } = await ask("POST", `/bench/${data.detectorId}/judge`, {
        take: data.take.id,
        detector: saved,
        parts: ["judged"],
      });
      this.before = judged.card;
      this.judgeSoon();
      this.stripsSoon();
    },
    async importMarks(files) {
      if (!files.length) return;
      try {
        await ask("PUT", `/takes/${data.take.id}/marks.csv`, await files[0].arrayBuffer(), { raw: true });
        this.leaving = true;
        location.reload();
      } catch (error) {
        this.explain(error);
      }
    },
  };
};
