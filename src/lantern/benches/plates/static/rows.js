// Passages as rows: the reads of each with a bar a character, the vote growing beneath them, the result. Only what is
// in sight is drawn.
import { clock, el, glyph, redraw } from "/static/js/svg.js";

const HEIGHT = 61;
const READS_LEFT = 104;
const READ = 43;
const CHARACTER = 5.4;
const BARS = 19; // how high a sure character is
const RESULT = 178; // of the plate and what became of it, at the right
const SHAPES = { hit: "hit", false: "false", miss: "miss", repeat: "repeat", ignored: "ignored" };

export class Rows {
  // `on`: choose(number), character(number, read, place)
  constructor(box, take, on) {
    Object.assign(this, { box, take, on, rows: [], order: [], chosen: -1, place: null });
    this.space = document.createElement("div");
    this.space.className = "passage-space";
    box.append(this.space);
    box.addEventListener("scroll", () => this.draw());
    box.addEventListener("click", (event) => this.#click(event));
    box.addEventListener("keydown", (event) => this.#key(event));
    new ResizeObserver(() => this.draw()).observe(box);
  }

  // `rows`: each passage's reads and what became of it; `order`: which are shown, as they stand; `limits`: of the vote
  set(rows, order, limits) {
    Object.assign(this, { rows, order, limits });
    this.drawn = null;
    this.draw();
  }

  choose(number, place = null) {
    this.chosen = number;
    this.place = place;
    const at = this.order.indexOf(number);
    const top = at * HEIGHT;
    if (at >= 0 && (top < this.box.scrollTop || top + HEIGHT > this.box.scrollTop + this.box.clientHeight))
      this.box.scrollTop = Math.max(top - this.box.clientHeight / 3, 0);
    this.draw();
  }

  draw() {
    const { scrollTop, clientHeight, clientWidth } = this.box;
    this.space.style.height = `${this.order.length * HEIGHT}px`;
    const first = Math.max(Math.floor(scrollTop / HEIGHT) - 1, 0);
    const last = Math.min(Math.ceil((scrollTop + clientHeight) / HEIGHT) + 1, this.order.length);
    const width = Math.max(clientWidth - 2, 420);
    const svgs = [];
    for (let at = first; at < last; at += 1) svgs.push(this.#row(this.order[at], at, width));
    this.#put(svgs);
  }

  // Alpine looks at nodes that come and go, though none of these is its own: it is told not to.
  #put(svgs) {
    const put = () => this.space.replaceChildren(...svgs);
    if (window.Alpine) window.Alpine.mutateDom(put);
    else put();
  }

  #row(number, at, width) {
    const row = this.rows[number];
    const chosen = number === this.chosen;
    const svg = el("svg", {
      class: `passage ${chosen ? "chosen" : ""}`,
      width,
      height: HEIGHT,
      viewBox: `0 0 ${width} ${HEIGHT}`,
      "data-passage": number,
      role: "img",
      "aria-current": chosen ? "true" : null,
      "aria-label": `${clock(this.take, row.first_s, true)} ${row.text ?? "nothing read"}: ${row.said}`,
    });
    const parts = [el("rect", { class: "back", width, height: HEIGHT - 1 })];
    svg.style.top = `${at * HEIGHT}px`;
    if (chosen) parts.push(el("rect", { class: "here", width: 3, height: HEIGHT - 1 }));
    parts.push(
      row.verdict ? glyph(SHAPES[row.verdict], 14, 17, 5.5) : el("circle", { class: "open", cx: 14, cy: 17, r: 4 }),
      el("text", { class: "when", x: 27, y: 17 }, clock(this.take, row.first_s, true)),
      el("text", { class: "fine", x: 27, y: 32 }, row.type || row.vehicle),
      el("text", { class: "fine", x: 27, y: 46 }, row.attached),
    );
    const room = Math.max(Math.floor((width - READS_LEFT - RESULT) / READ), 1);
    const from = this.#from(row, room);
    row.reads
      .slice(from, from + room)
      .forEach((read, n) => parts.push(this.#read(row, number, from + n, READS_LEFT + n * READ)));
    const left = row.reads.length - room;
    if (left > 0)
      parts.push(
        el(
          "text",
          { class: "fine", x: READS_LEFT, y: HEIGHT - 4 },
          from ? `from read ${from + 1} of ${row.reads.length}` : left === 1 ? "1 more read" : `${left} more reads`,
        ),
      );
    parts.push(...this.#result(row, width - RESULT + 8));
    redraw(svg, parts);
    return svg;
  }

  // Where there are more reads than room, those up to the one that decided.
  #from(row, room) {
    return row.decided === null || row.decided < room ? 0 : row.decided - room + 1;
  }

  #read(row, number, n, x) {
    const [text, sure] = row.reads[n];
    const right = row.truth ?? row.text ?? "";
    const group = el("g", { transform: `translate(${x} 0)`, class: row.votes[n] === null ? "left-out" : "" });
    [...text].forEach((symbol, place) => {
      const wrong = text.length === right.length && symbol !== right[place];
      const height = 1 + sure[place] * BARS;
      const at = place * CHARACTER;
      group.append(
        el("rect", {
          class: wrong ? "misread" : "sure",
          x: at,
          y: 4 + BARS - height + 1,
          width: CHARACTER - 0.8,
          height,
        }),
        el("text", { class: `letter ${wrong ? "wrong" : ""}`, x: at + CHARACTER / 2 - 0.4, y: 34 }, symbol),
        el("rect", { class: "catch", x: at, y: 2, width: CHARACTER, height: 35, "data-read": n, "data-place": place }),
      );
      if (number === this.chosen && this.place === place)
        group.append(el("rect", { class: "picked", x: at - 0.6, y: 2, width: CHARACTER + 0.4, height: 35 }));
    });
    if (!text) group.append(el("text", { class: "fine", x: 4, y: 30 }, "none"));
    const width = READ - 5;
    group.append(el("rect", { class: "ballot", x: 0, y: 40, width, height: 7 }));
    if (row.votes[n] !== null)
      group.append(
        el("rect", {
          class: row.votes[n] >= this.limits.vote - 1e-9 ? "voted" : "not-yet",
          x: 0,
          y: 40,
          width: width * row.votes[n],
          height: 7,
        }),
        el("line", { class: "limit", x1: width * this.limits.vote, x2: width * this.limits.vote, y1: 39, y2: 48 }),
      );
    if (row.decided === n) group.append(el("rect", { class: "decided", x: -2.5, y: 2, width: READ - 1, height: 48 }));
    return group;
  }

  #result(row, x) {
    const bad = row.verdict === "false" || row.verdict === "miss";
    const parts = [
      el("rect", { class: "plate-frame", x, y: 8, width: 92, height: 26, rx: 2.5 }),
      el("text", { class: "plate-text", x: x + 46, y: 28 }, row.text ?? "nothing"),
      el("text", { class: "percent", x: x + 98, y: 19 }, `${Math.round(100 * row.confidence)} %`),
    ];
    if (row.list) parts.push(el("text", { class: "fine", x: x + 98, y: 32 }, row.list.slice(0, 14)));
    parts.push(el("text", { class: `outcome ${bad ? "bad" : ""}`, x, y: 48 }, row.outcome));
    if (row.correct === false) parts.push(el("text", { class: "outcome bad", x, y: 58 }, `truly ${row.truth}`));
    return parts;
  }

  #click(event) {
    const svg = event.target.closest("[data-passage]");
    if (!svg) return;
    const number = Number(svg.dataset.passage);
    const { read, place } = event.target.dataset;
    if (place !== undefined) this.on.character(number, Number(read), Number(place));
    else this.on.choose(number);
  }

  #key(event) {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!step || !this.order.length) return;
    event.preventDefault();
    const at = Math.min(Math.max(this.order.indexOf(this.chosen) + step, 0), this.order.length - 1);
    this.on.choose(this.order[at]);
  }
}
