// Passages on the bench: which are shown, the one that is looked at, what it truly was, who voted what.
import { ask } from "/static/js/http.js";
import { clock, el, redraw, short } from "/static/js/svg.js";
import { Rows } from "./rows.js";

const UNSURE = 2; // ranks up to this one are worth a look
const STILL = 0.46; // height of the drawn still to its width

export const passages = ({ data, drawn }) => ({
  reads: [],
  found: [],
  limits: { vote: 1 },
  order: "rank",
  hidden: [],
  chosenPassage: -1,
  chosenRead: 0,
  chosenPlace: null,
  character: null,
  truthSaid: "",
  truthOf: -1, // the passage whose field was taken
  gapOfReads: null,

  startView() {
    drawn.rows = new Rows(this.$refs.passages, data.take, {
      choose: (number) => this.choosePassage(number),
      character: (number, read, place) => this.chooseCharacter(number, read, place),
    });
  },
  fetchOnce() {
    this.judgeFirst().catch((error) => this.explain(error));
  },

  // What is drawn while a hand moves: the passages as they are under these dials.
  async judgeFirst() {
    const gap = this.dials.gap_s;
    const parts = this.gapOfReads === gap ? ["passages"] : ["reads", "passages"];
    const answer = await this.post(parts);
    if (answer.reads) {
      this.reads = answer.reads.passages;
      this.gapOfReads = gap;
      this.drawLight(answer.reads.light);
    }
    this.found = answer.passages.rows;
    this.limits = answer.passages;
    if (this.chosenPassage >= this.found.length) this.choosePassage(-1);
    this.drawList();
    if (this.chosenPlace !== null) this.askCharacter();
  },

  drawLight(light) {
    if (!light.length) return;
    if (!drawn.axis.lanes.includes("light")) drawn.axis.lanes.push("light");
    drawn.axis.set({ light });
  },

  // ---- the rows ----

  get rows() {
    return this.reads.map((reads, number) => ({ ...reads, ...this.found[number], number }));
  },
  get verdictCounts() {
    const counts = {};
    for (const row of this.found) counts[row.code] = (counts[row.code] ?? 0) + 1;
    return Object.entries(data.verdicts)
      .filter(([code]) => counts[code])
      .map(([code, words]) => ({ code, words, n: counts[code], on: !this.hidden.includes(code) }));
  },
  toggleVerdict(code) {
    this.hidden = this.hidden.includes(code) ? this.hidden.filter((each) => each !== code) : [...this.hidden, code];
    this.drawList();
  },
  get shown() {
    const rows = this.found
      .map((row, number) => ({ row, number }))
      .filter(({ row }) => !this.hidden.includes(row.code));
    const key = ({ row, number }) => (this.order === "rank" ? row.rank * 1e6 : 0) + number;
    return rows.sort((a, b) => key(a) - key(b)).map(({ number }) => number);
  },
  get listText() {
    const worth = this.found.filter((row) => row.rank <= UNSURE).length;
    return `${worth} of ${this.found.length} worth a look`;
  },
  drawList() {
    const rows = this.rows.map((row) => ({
      ...row,
      outcome: row.code === "raised" && row.list ? `raised: ${row.match}` : (data.verdicts[row.code] ?? row.code),
    }));
    drawn.rows.set(rows, this.shown, this.limits);
    if (this.passage) this.drawStill();
  },

  // ---- one passage ----

  get passage() {
    return this.chosenPassage < 0 ? null : (this.rows[this.chosenPassage] ?? null);
  },
  get passageText() {
    const p = this.passage;
    const what = p.type ? `${p.type}, ` : "";
    const when = `${short(p.last_s - p.first_s, 2)} s from ${clock(data.take, p.first_s, true)}`;
    return `${what}${p.accepted} of ${p.reads.length} reads count, ${when}`;
  },
  choosePassage(number) {
    this.chosenPassage = number;
    this.chosenPlace = null;
    this.character = null;
    this.truthSaid = "";
    this.truthOf = -1;
    if (number < 0) return;
    this.tab = "reading";
    this.chosenRead = this.found[number].decided ?? this.reads[number].reads.length - 1;
    this.seek(this.reads[number].first_s, true);
    drawn.rows.choose(number);
    this.beginTruth();
    this.$nextTick(() => {
      this.drawStill();
      this.beginTruth();
    });
  },
  // The field is taken at once where it is in sight, so that no key of a quick hand is lost; else as soon as it is.
  beginTruth() {
    const field = this.$refs.truth;
    if (!field || this.truthOf === this.chosenPassage) return;
    field.value = this.truthValue;
    field.focus({ preventScroll: true });
    field.select();
    if (document.activeElement === field) this.truthOf = this.chosenPassage;
  },
  // What is being typed stays, whatever answer comes meanwhile.
  showTruth(field) {
    const value = this.truthValue;
    if (document.activeElement !== field) field.value = value;
  },
  chooseCharacter(number, read, place) {
    if (number !== this.chosenPassage) this.choosePassage(number);
    this.chosenRead = read;
    this.chosenPlace = place;
    drawn.rows.choose(number, place);
    this.$nextTick(() => this.drawStill());
    this.askCharacter();
  },
  async askCharacter() {
    try {
      const also = { passage: this.chosenPassage, place: this.chosenPlace };
      ({ character: this.character } = await this.post(["character"], { also }));
    } catch (error) {
      this.character = null;
      this.explain(error);
    }
  },
  shareText: (symbol) => `${(100 * symbol.share).toFixed(symbol.share > 0.999 ? 2 : 1)} %`,
  votersText: (symbol) => symbol.reads.map(([n, q]) => `read ${n + 1} (${Math.round(100 * q)} %)`).join(", "),

  // The picture's own proportions, with the boxes of the chosen read; the way of the vehicle behind them.
  drawStill() {
    const p = this.passage;
    const svg = this.$refs.still;
    if (!p || !svg) return;
    const [left, top, width, height] = this.around(p.reads.flatMap((read) => [read[3], read[4]]).filter(Boolean));
    svg.setAttribute("viewBox", `${left} ${top} ${width} ${height}`);
    const parts = [el("rect", { class: "sky", x: left, y: top, width, height })];
    p.reads.forEach((read, n) => {
      if (read[4] && n !== this.chosenRead) parts.push(this.box("way", read[4]));
    });
    const [text, , , plate, car] = p.reads[this.chosenRead] ?? p.reads[0];
    if (car) parts.push(this.box("car", car));
    if (plate) {
      parts.push(
        this.box("plate", plate),
        el(
          "text",
          {
            class: "still-text",
            x: plate[0] + plate[2] / 2,
            y: plate[1] + plate[3] + height / 11,
            "font-size": height / 12,
          },
          text,
        ),
      );
    }
    if (!plate && !car)
      parts.push(
        el(
          "text",
          { class: "still-text", x: left + width / 2, y: top + height / 2, "font-size": height / 12 },
          "this read has no boxes",
        ),
      );
    redraw(svg, parts);
  },
  // The part of the picture that all these boxes are in, in the proportions of the drawing.
  around(boxes) {
    const [whole, tall] = [data.take.width || 1920, data.take.height || 1080];
    if (!boxes.length) return [0, 0, whole, tall];
    const [x0, y0] = [Math.min(...boxes.map((b) => b[0])), Math.min(...boxes.map((b) => b[1]))];
    const [x1, y1] = [Math.max(...boxes.map((b) => b[0] + b[2])), Math.max(...boxes.map((b) => b[1] + b[3]))];
    const height = 1.15 * Math.max(y1 - y0, (x1 - x0) * STILL);
    return [(x0 + x1) / 2 - height / STILL / 2, (y0 + y1) / 2 - height / 2, height / STILL, height];
  },
  box: (name, [x, y, width, height]) => el("rect", { class: name, x, y, width, height }),

  // ---- what it truly was ----

  get truthValue() {
    return this.passage?.truth ?? "";
  },
  get truthText() {
    if (this.truthSaid) return this.truthSaid;
    const p = this.passage;
    if (p.truth === null) {
      const agree = p.text ? `; Shift+Enter agrees to ${p.text}` : "";
      return `Enter keeps what you type and goes on; empty, it keeps nothing${agree}`;
    }
    if (p.agreed) return "agreed to as it was read; typed, it would count";
    return p.correct ? "read right" : `read as ${p.text ?? "nothing"}`;
  },
  // The next one is there at once, for whoever types on; what the server refuses comes back.
  async typeTruth(text, agreed = false) {
    const number = this.chosenPassage;
    const before = this.found[number];
    if (agreed && !before.text) return;
    if (!agreed && text.trim() === "" && before.truth === null) {
      this.nextUnsure(number); // nothing was said
      return;
    }
    const said = { object: this.reads[number].vehicle, at_s: this.reads[number].first_s, agreed };
    const asked = agreed ? before.text : text;
    this.keepTruth(number, asked.trim(), agreed);
    this.nextUnsure(number);
    try {
      const kept = await ask("PUT", `/takes/${data.take.id}/truths`, { ...said, text: asked });
      this.keepTruth(number, kept.text, agreed);
      this.judgeSoon();
    } catch (error) {
      this.found[number] = before;
      this.choosePassage(number);
      this.truthSaid = error.message;
    }
  },
  keepTruth(number, text, agreed) {
    const row = this.found[number];
    // Whether it was read right, the server says
    this.found[number] = { ...row, truth: text || null, agreed, correct: null };
    this.drawList();
  },
  // In the order of the list, the next passage that nobody has said the truth of; of those that are unsure or wrong,
  // while there are any.
  nextUnsure(after) {
    const order = this.shown;
    const from = order.indexOf(after);
    const later = [...order.slice(from + 1), ...order.slice(0, from)];
    const open = later.filter((number) => this.found[number].truth === null);
    const next = open.find((number) => this.found[number].rank <= UNSURE) ?? open[0];
    if (next === undefined) this.truthSaid = "Every passage that is shown has its truth.";
    else this.choosePassage(next);
  },

  // ---- the lists that it reads ----

  get listNames() {
    return (this.own.lists ?? []).map((held) => (typeof held === "string" ? held : held.name));
  },
  get otherLists() {
    return Object.keys(data.siteLists).filter((name) => !this.listNames.includes(name));
  },
  entriesText(name) {
    const n = data.siteLists[name];
    return n === undefined ? "in its own file" : n === 1 ? "1 entry" : `${n} entries`;
  },
  setLists(lists) {
    this.remember();
    this.own = { ...this.own, lists };
    this.refresh();
  },
  readList(name) {
    this.setLists([...this.own.lists, name]);
  },
  dropList(index) {
    this.setLists(this.own.lists.filter((_, i) => i !== index));
  },
  moveList(index) {
    const next = [...this.own.lists];
    next.splice(index - 1, 0, ...next.splice(index, 1));
    this.setLists(next);
  },

  // ---- where reads count ----

  boxRegion() {
    const [width, height] = [data.take.width || 1920, data.take.height || 1080];
    this.addRegion("box", [
      [0, Math.round(height / 3)],
      [width, height],
    ]);
  },
});
