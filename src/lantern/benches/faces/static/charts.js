// What the bench of faces draws: histograms with the threshold, the curve between the errors, growth with the list.
import { draggedOn, el, glyph, redraw, short, ticks } from "/static/js/svg.js";

const path = (points) => points.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");
const text = (x, y, words, anchor = "middle", extra = "") =>
  el("text", { class: `tick ${extra}`, x, y, "text-anchor": anchor }, words);

function sized(svg, height) {
  const width = Math.max(svg.parentElement.clientWidth - 4, 240);
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  svg.style.height = `${height}px`;
  return width;
}

// Scores of one person above the line, of two below it, each as high as its logarithm; what lies on the wrong side of
// the threshold is filled.
export class ScoreChart {
  #height = 188;
  #left = 62;

  constructor(svg, on) {
    Object.assign(this, { svg, on });
    draggedOn(
      svg,
      () => this.scale,
      (event, done) => this.#move(event, done),
    );
  }

  #move(event, done) {
    const box = this.svg.getBoundingClientRect();
    const { low, high, width } = this.scale;
    const at = ((event.clientX - box.left) / box.width) * width;
    const share = Math.min(Math.max((at - this.#left) / (width - this.#left - 8), 0), 1);
    this.on.move(low + share * (high - low), done);
  }

  draw({ edges, lists }, place, works) {
    const width = sized(this.svg, this.#height);
    const [low, high] = [edges[0], edges.at(-1)];
    this.scale = { low, high, width };
    const base = this.#height / 2 + 2;
    const room = base - 22;
    const x = (v) => this.#left + ((Math.min(Math.max(v, low), high) - low) / (high - low)) * (width - this.#left - 8);
    const { mated, non_mated: other, counts } = lists[place];
    const threshold = works[place].threshold;
    const tall = (n, most) => (n ? 2 + (room - 2) * (Math.log1p(n) / Math.log1p(most)) : 0);
    const [mostMated, mostOther] = [Math.max(...mated, 1), Math.max(...other, 1)];
    const parts = [];
    const bar = (from, to, y, height, kind) =>
      parts.push(el("rect", { class: kind, x: from + 0.5, y, width: Math.max(to - from - 1, 0.5), height }));
    edges.slice(0, -1).forEach((edge, i) => {
      const [from, to, cut] = [x(edge), x(edges[i + 1]), Math.min(Math.max(x(threshold), x(edge)), x(edges[i + 1]))];
      const up = tall(mated[i], mostMated);
      const down = tall(other[i], mostOther);
      if (up && cut > from) bar(from, cut, base - up, up, "missed-bar");
      if (up && cut < to) bar(cut, to, base - up, up, "mated-bar");
      if (down && cut > from) bar(from, cut, base, down, "other-bar");
      if (down && cut < to) bar(cut, to, base, down, "false-bar");
    });
    parts.push(el("line", { class: "axis-line", x1: this.#left, x2: width - 8, y1: base, y2: base }));
    parts.push(
      text(this.#left - 6, base - room / 2, "one person", "end"),
      text(this.#left - 6, base - room / 2 + 13, counts[0], "end", "quiet"),
      text(this.#left - 6, base + room / 2, "two people", "end"),
      text(this.#left - 6, base + room / 2 + 13, counts[1], "end", "quiet"),
    );
    for (const v of ticks(low, high, 10)) parts.push(text(x(v), this.#height - 3, short(v)));
    works.forEach((w, at) => {
      if (at !== place)
        parts.push(el("line", { class: "relaxed", x1: x(w.threshold), x2: x(w.threshold), y1: 16, y2: base + room }));
    });
    const wished = works[place].wished;
    if (wished?.threshold !== undefined) {
      const at = x(wished.threshold);
      parts.push(
        el("line", {
          class: `open-line ${wished.extrapolated ? "beyond" : ""}`,
          x1: at,
          x2: at,
          y1: 16,
          y2: base + room,
        }),
        el("path", { class: "open-pin", d: `M${at - 5} 2h10v9l-5 6-5-6Z` }),
      );
    }
    const at = x(threshold);
    parts.push(
      el("line", { class: "level", x1: at, x2: at, y1: 14, y2: base + room }),
      el("path", { class: "pin", d: `M${at - 5.5} 1h11v10l-5.5 6.5-5.5-6.5Z` }),
      text(at + (at > width - 60 ? -9 : 9), 12, short(threshold), at > width - 60 ? "end" : "start", "now"),
    );
    redraw(this.svg, parts);
  }
}

// Both errors on normal-deviate axes, where two normal heaps of scores give a straight line.
export class Det {
  #height = 196;

  constructor(svg) {
    this.svg = svg;
  }

  draw({ axis, lists }, place, works) {
    const width = sized(this.svg, this.#height);
    const [low, high] = axis.ends;
    const [left, bottom] = [46, this.#height - 28];
    const x = (d) => left + ((d - low) / (high - low)) * (width - left - 8);
    const y = (d) => bottom - ((d - low) / (high - low)) * (bottom - 6);
    const parts = [el("rect", { class: "frame", x: left, y: 6, width: width - left - 8, height: bottom - 6 })];
    axis.ticks[0].forEach((share, i) => {
      const d = axis.ticks[1][i];
      parts.push(
        el("line", { class: "grid", x1: x(d), x2: x(d), y1: 6, y2: bottom }),
        el("line", { class: "grid", x1: left, x2: width - 8, y1: y(d), y2: y(d) }),
        text(x(d), bottom + 12, `${short(100 * share)} %`),
        text(left - 4, y(d) + 3, `${short(100 * share)} %`, "end"),
      );
    });
    parts.push(text((left + width) / 2, this.#height - 3, "falsely matched"));
    const { det, band } = lists[place];
    if (band) {
      const [fromX, toX, fromY, toY] = band.at;
      const upper = toX.map((d, i) => [x(d), y(toY[i])]);
      const lower = fromX.map((d, i) => [x(d), y(fromY[i])]).reverse();
      parts.push(el("path", { class: "interval", d: `${path([...upper, ...lower])}Z` }));
    }
    parts.push(el("path", { class: "reading", d: path(det.at[0].map((d, i) => [x(d), y(det.at[1][i])])) }));
    works.forEach((other, at) => {
      if (at !== place && other.fmr && other.fnmr)
        parts.push(glyph("repeat", x(other.fmr.at[0]), y(other.fnmr.at[0]), 6));
    });
    const w = works[place];
    if (w.fmr && w.fnmr) {
      const [at, from, to] = w.fmr.at;
      const [up, least, most] = w.fnmr.at;
      parts.push(
        el("line", { class: "whisker", x1: x(from), x2: x(to), y1: y(up), y2: y(up) }),
        el("line", { class: "whisker", x1: x(at), x2: x(at), y1: y(least), y2: y(most) }),
        glyph("hit", x(at), y(up), 5),
      );
    }
    redraw(this.svg, parts);
  }
}

// False matches a day by the size of the list, both as logarithms; beyond what the take has it is dashed.
export class Growth {
  #height = 150; // words stand beneath

  constructor(svg) {
    this.svg = svg;
  }

  draw(work) {
    const width = sized(this.svg, this.#height);
    const grown = work.growth;
    if (!grown || !grown.a_day.some((v) => v > 0))
      return redraw(this.svg, [
        text(width / 2, 90, grown ? "none matches anybody here" : "nobody said who is on no list"),
      ]);
    const [left, bottom] = [46, this.#height - 28];
    const some = grown.a_day.filter((v) => v > 0);
    const [least, most] = [Math.log10(Math.min(...some)), Math.log10(Math.max(...some) * 1.3)];
    const last = Math.log10(grown.sizes.at(-1));
    const x = (n) => left + (Math.log10(n) / last) * (width - left - 12);
    const y = (v) => bottom - ((Math.log10(Math.max(v, 10 ** least)) - least) / (most - least || 1)) * (bottom - 8);
    const parts = [el("rect", { class: "frame", x: left, y: 6, width: width - left - 12, height: bottom - 6 })];
    for (let power = Math.ceil(least); power <= most; power++)
      parts.push(
        el("line", { class: "grid", x1: left, x2: width - 12, y1: y(10 ** power), y2: y(10 ** power) }),
        text(left - 4, y(10 ** power) + 3, short(10 ** power), "end"),
      );
    for (const n of [1, 10, 100, 1000]) if (Math.log10(n) <= last + 0.01) parts.push(text(x(n), bottom + 12, n));
    parts.push(text((left + width) / 2, this.#height - 3, "members of the list"));
    const points = grown.sizes.map((n, i) => [x(n), y(grown.a_day[i]), grown.measured[i]]);
    const beyond = points.findIndex((p) => !p[2]);
    const seen = beyond < 0 ? points : points.slice(0, beyond);
    if (seen.length) parts.push(el("path", { class: "reading", d: path(seen) }));
    if (beyond >= 0) parts.push(el("path", { class: "extrapolated", d: path(points.slice(Math.max(beyond - 1, 0))) }));
    const nearest = grown.sizes.reduce(
      (best, n, i) => (Math.abs(n - work.members) < Math.abs(grown.sizes[best] - work.members) ? i : best),
      0,
    );
    parts.push(
      el("line", {
        class: "relaxed",
        x1: x(Math.max(work.members, 1)),
        x2: x(Math.max(work.members, 1)),
        y1: 6,
        y2: bottom,
      }),
      glyph("hit", points[nearest][0], points[nearest][1], 5),
    );
    return redraw(this.svg, parts);
  }
}

// Who scores high against whom: a row a person, a column a member, the darker the higher; ringed from the threshold on.
export class Lookalikes {
  #row = 15;

  constructor(svg) {
    this.svg = svg;
  }

  draw({ subjects, candidates, highest }, { threshold, scale: [low, high] }) {
    const [left, top] = [64, 44];
    const height = top + subjects.length * this.#row + 4;
    const width = sized(this.svg, height);
    if (!subjects.length) return redraw(this.svg, [text(width / 2, 24, "nobody was held against somebody else")]);
    const wide = Math.min((width - left - 6) / candidates.length, 26);
    const parts = candidates.map((name, i) => {
      const [x, y] = [left + (i + 0.6) * wide, top - 5];
      return el("text", { class: "tick", x, y, transform: `rotate(-60 ${x} ${y})` }, name);
    });
    subjects.forEach((name, at) => {
      const y = top + at * this.#row;
      parts.push(text(left - 5, y + 11, name, "end"));
      highest[at].forEach((score, i) => {
        if (score === null) return;
        const share = Math.min(Math.max((score - low) / (high - low || 1), 0), 1);
        const place = { x: left + i * wide + 1, y: y + 1, width: wide - 2, height: this.#row - 2 };
        const over = score >= threshold ? " over" : "";
        const cell = el("rect", {
          class: `alike${over}`,
          "fill-opacity": (0.05 + 0.95 * share ** 3).toFixed(3),
          ...place,
        });
        cell.append(el("title", {}, `${name} against ${candidates[i]}: ${short(score)}`));
        parts.push(cell);
      });
    });
    return redraw(this.svg, parts);
  }
}
