// A map of two dials: what every pair loses by the two gravest measures as one tint, the front as lozenges, the present
// pair as a cross.
import { el, glyph, redraw, short, ticks } from "/static/js/svg.js";
import { lossesOf } from "./measures.js";
import { show } from "/static/js/units.js";

const SIZE = [334, 232];
const LEFT = 46;
const BOTTOM = 34;

export class PairMap {
  constructor(svg, on) {
    Object.assign(this, { svg, on });
    svg.setAttribute("viewBox", `0 0 ${SIZE[0]} ${SIZE[1]}`);
    svg.addEventListener("pointermove", (event) => this.on.read?.(this.#cell(event)));
    svg.addEventListener("pointerleave", () => this.on.read?.(null));
    svg.addEventListener("click", (event) => {
      const cell = this.#cell(event);
      if (cell) this.on.pick?.(cell);
    });
  }

  #cell(event) {
    if (!this.map) return null;
    const box = this.svg.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * SIZE[0];
    const y = ((event.clientY - box.top) / box.height) * SIZE[1];
    const column = Math.floor(((x - LEFT) / (SIZE[0] - LEFT - 4)) * this.map.x.length);
    const row = Math.floor(((SIZE[1] - BOTTOM - y) / (SIZE[1] - BOTTOM - 4)) * this.map.y.length);
    return column < 0 || row < 0 || column >= this.map.x.length || row >= this.map.y.length ? null : { row, column };
  }

  // `qx`, `qy`: how the dials' values are shown; `at`: the present values
  draw(map, { qx, qy, at, labels }) {
    this.map = map;
    const [columns, rows] = [map.x.length, map.y.length];
    const w = (SIZE[0] - LEFT - 4) / columns;
    const h = (SIZE[1] - BOTTOM - 4) / rows;
    const cx = (i) => LEFT + (i + 0.5) * w;
    const cy = (i) => SIZE[1] - BOTTOM - (i + 0.5) * h;
    const [first, second] = lossesOf(map.measures);
    const values = (r, c) => map.measures.map((m) => map.values[m.name][r][c]);
    const cells = map.y.map((_, r) => map.x.map((__, c) => values(r, c)));
    const lost = cells.map((row) => row.map((each) => [first?.(each) ?? 0, second?.(each) ?? 0]));
    const mostMissed = Math.max(...lost.flat().map(([a]) => a), 1);
    const most = Math.max(...lost.flat().map(([, b]) => b), 1);
    const parts = [
      el("rect", { class: "frame", x: LEFT, y: 4, width: SIZE[0] - LEFT - 4, height: SIZE[1] - BOTTOM - 4 }),
    ];
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        const [missed, wrong] = lost[r][c];
        const box = { x: LEFT + c * w, y: SIZE[1] - BOTTOM - (r + 1) * h, width: w, height: h };
        if (missed)
          parts.push(el("rect", { class: "cell-miss", "fill-opacity": 0.35 + 0.6 * (missed / mostMissed), ...box }));
        if (wrong)
          parts.push(
            el("rect", {
              class: "cell-false",
              "fill-opacity": (missed ? 0.5 : 1) * (0.25 + 0.65 * Math.sqrt(wrong / most)),
              ...box,
            }),
          );
      }
    for (const [r, c] of map.front) parts.push(glyph("hit", cx(c), cy(r), 3.2));
    const place = (values, value) => {
      let i = values.findIndex((v) => v >= value);
      if (i < 0) i = values.length - 1;
      const low = values[Math.max(i - 1, 0)];
      return i === 0 || values[i] === low ? i : i - 1 + Math.min(Math.max((value - low) / (values[i] - low), 0), 1);
    };
    const [px, py] = [cx(place(map.x, at.x)), cy(place(map.y, at.y))];
    parts.push(
      el("path", { class: "here-shadow", d: `M${px - 8} ${py}h16M${px} ${py - 8}v16` }),
      el("path", { class: "here", d: `M${px - 8} ${py}h16M${px} ${py - 8}v16` }),
    );
    const axis = (values, q, count) =>
      ticks(show(q, values[0]), show(q, values.at(-1)), count).map((shown) => [
        (shown - q.offset) / q.factor,
        short(shown),
      ]);
    for (const [v, text] of axis(map.x, qx, 6))
      parts.push(
        el("text", { class: "tick", x: cx(place(map.x, v)), y: SIZE[1] - BOTTOM + 13, "text-anchor": "middle" }, text),
      );
    for (const [v, text] of axis(map.y, qy, 7))
      parts.push(el("text", { class: "tick", x: LEFT - 5, y: cy(place(map.y, v)) + 3, "text-anchor": "end" }, text));
    parts.push(
      el("text", { class: "name", x: (LEFT + SIZE[0]) / 2, y: SIZE[1] - 4, "text-anchor": "middle" }, labels.x),
      el(
        "text",
        { class: "name", transform: `translate(11 ${(SIZE[1] - BOTTOM) / 2}) rotate(-90)`, "text-anchor": "middle" },
        labels.y,
      ),
    );
    redraw(this.svg, parts);
  }
}
