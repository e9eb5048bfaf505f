// The evidence strip beneath a dial: what each value loses by the gravest measure below the line, by the next above it;
// the value as a pin, the proposal as an open pin.
import { draggedOn, el, redraw, short, ticks } from "/static/js/svg.js";
import { lossesOf } from "./measures.js";
import { PLAIN, read, show } from "/static/js/units.js";

const WIDTH = 326;
const HEIGHT = 58;
const BASE = 25;
const REACH_UP = 22;
const REACH_DOWN = 15;

export class Strip {
  // `quantity`: how the dial's values are shown
  constructor(svg, on, quantity = PLAIN) {
    Object.assign(this, { svg, on, quantity });
    svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
    const begin = (event) => {
      if (this.data && event.target.closest("[data-proposed]")) this.on.move(this.data.proposed, true);
      return this.data && !event.target.closest("[data-proposed]");
    };
    draggedOn(svg, begin, (event, done) => this.#move(event, done));
  }

  #move(event, done) {
    const box = this.svg.getBoundingClientRect();
    const share = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1);
    this.on.move(this.data.low + share * (this.data.high - this.data.low), done);
  }

  draw(data, value) {
    this.data = data;
    const x = (v) => ((Math.min(Math.max(v, data.low), data.high) - data.low) / (data.high - data.low)) * WIDTH;
    const [below, above] = lossesOf(data.measures);
    const lostBelow = (p) => (below ? below(p.slice(2)) : 0);
    const lostAbove = (p) => (above ? above(p.slice(2)) : 0);
    const most = Math.max(...data.pieces.map(lostAbove), 1);
    const mostBelow = Math.max(...data.pieces.map(lostBelow), 1);
    // square root: a lone false alarm must still be seen beside a hundred
    const up = (n) => (n ? 3 + (REACH_UP - 3) * Math.sqrt(n / most) : 0);
    const down = (n) => (n ? 3 + (REACH_DOWN - 3) * (n / mostBelow) : 0);
    const parts = [];
    if (data.margin)
      parts.push(
        el("rect", {
          class: "margin",
          x: x(data.margin[0]),
          y: 2,
          width: Math.max(x(data.margin[1]) - x(data.margin[0]), 1),
          height: BASE + REACH_DOWN - 2,
        }),
      );
    parts.push(
      this.#area(data.pieces, x, (p) => BASE - up(lostAbove(p)), "false-fill", lostAbove),
      this.#area(data.pieces, x, (p) => BASE + down(lostBelow(p)), "miss-fill", lostBelow),
    );
    parts.push(el("line", { class: "base", x1: 0, x2: WIDTH, y1: BASE, y2: BASE }));
    const q = this.quantity;
    ticks(show(q, data.low), show(q, data.high), 5).forEach((shown) => {
      const at = x(read(q, shown));
      parts.push(
        el(
          "text",
          { x: at, y: HEIGHT - 3, "text-anchor": at < 12 ? "start" : at > WIDTH - 14 ? "end" : "middle" },
          short(shown),
        ),
      );
    });
    if (data.proposed !== null) {
      const at = x(data.proposed);
      parts.push(
        el("line", { class: "open-line", x1: at, x2: at, y1: BASE, y2: BASE + 17 }),
        el("path", { class: "open-pin", d: `M${at - 5} 6h10v13l-5 6-5-6Z`, "data-proposed": "1" }),
      );
    }
    const at = x(value);
    parts.push(
      el("line", { class: "pin-line", x1: at, x2: at, y1: BASE, y2: BASE + 18 }),
      el("path", { class: "pin", d: `M${at - 5.5} 5h11v13.5l-5.5 6.5-5.5-6.5Z` }),
    );
    redraw(this.svg, parts);
  }

  // What is drawn, as rows for a file.
  rows() {
    const q = this.quantity;
    const names = this.data.measures.map((m) => m.name);
    return [
      ["from", "to", "unit", ...names],
      ...this.data.pieces.map(([from, to, ...values]) => [show(q, from), show(q, to), q.unit, ...values]),
    ];
  }

  // Steps along neighbouring pieces; where there is nothing to show, the line stays clean.
  #area(pieces, x, y, name, lost) {
    let d = "";
    let open = false;
    for (const piece of pieces) {
      if (lost(piece) > 0) {
        d += `${open ? "" : `M${x(piece[0]).toFixed(2)} ${BASE}`}V${y(piece).toFixed(2)}H${x(piece[1]).toFixed(2)}`;
        open = true;
      } else if (open) {
        d += `V${BASE}Z`;
        open = false;
      }
    }
    return el("path", { class: name, d: open ? `${d}V${BASE}Z` : d });
  }
}
