// Skin screening: everybody as a dot by temperature, the marked ones above, and the curve that the threshold walks
// along.
import { el, glyph, redraw, ticks } from "/static/js/svg.js";
import { show } from "/static/js/units.js";

export function drawPeople(svg, people, threshold, q) {
  const [w, h] = [334, 92];
  svg.setAttribute("viewBox", `0 0 ${w} ${h}`);
  const values = people.map((p) => show(q, p.c));
  const at = show(q, threshold);
  const sorted = [...values].sort((a, b) => a - b);
  const high = Math.max(at, sorted[Math.max(Math.floor(sorted.length * 0.97) - 1, 0)]) + 0.6 * q.factor;
  const low = Math.min(at, sorted[0]) - 0.3 * q.factor;
  const x = (v) => 8 + ((Math.min(Math.max(v, low), high) - low) / (high - low)) * (w - 16);
  const parts = ticks(low, high, 6).map((v) =>
    el("text", { class: "tick", x: x(v), y: h - 2, "text-anchor": "middle" }, v),
  );
  parts.push(el("line", { class: "axis-line", x1: 4, x2: w - 4, y1: h - 14, y2: h - 14 }));
  const stacked = {};
  people.forEach((p, i) => {
    const column = Math.round(x(values[i]) / 5);
    stacked[column] = (stacked[column] ?? 0) + 1;
    const y = h - 18 - 5.5 * stacked[column];
    const kind = p.warm ? (p.beyond ? "hit" : "miss") : p.beyond ? "false" : "repeat";
    parts.push(
      el(
        "g",
        { "data-person": i },
        glyph(kind, x(values[i]), y, kind === "repeat" ? 5 : 4.2),
        el("title", {}, `person ${i + 1}: ${values[i].toFixed(2)} ${q.unit}`),
      ),
    );
  });
  parts.push(el("line", { class: "level", x1: x(at), x2: x(at), y1: 4, y2: h - 14 }));
  redraw(svg, parts);
}

export function drawRoc(svg, roc, now) {
  const size = 150;
  svg.setAttribute("viewBox", `0 0 ${size + 30} ${size + 26}`);
  const x = (v) => 26 + v * size;
  const y = (v) => 4 + (1 - v) * size;
  const d = roc.false_share
    .map((f, i) => `${i ? "L" : "M"}${x(f).toFixed(1)} ${y(roc.sensitivity[i]).toFixed(1)}`)
    .join("");
  const parts = [
    el("rect", { class: "frame", x: x(0), y: y(1), width: size, height: size }),
    el("line", { class: "relaxed", x1: x(0), y1: y(0), x2: x(1), y2: y(1) }),
    el("path", { class: "reading", d }),
  ];
  if (now) parts.push(glyph("hit", x(now.false_share), y(now.sensitivity), 5));
  for (const v of [0, 0.5, 1])
    parts.push(
      el("text", { class: "tick", x: x(v), y: size + 16, "text-anchor": "middle" }, v),
      el("text", { class: "tick", x: 22, y: y(v) + 3, "text-anchor": "end" }, v),
    );
  parts.push(el("text", { class: "tick", x: x(0.5), y: size + 25, "text-anchor": "middle" }, "1 - specificity"));
  redraw(svg, parts);
}
