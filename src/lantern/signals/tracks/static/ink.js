// How a scene is inked on canvas and drawn over it: the veiled still, where people stayed, ends of tracks, boxes, and
// lines with their band, their arrow and their sides. `view`: the SceneView.
import { el } from "/static/js/svg.js";

export function ground(view, context) {
  context.fillStyle = view.token("panel");
  context.fillRect(0, 0, view.layer.width, view.layer.height);
  if (!view.still) return;
  const [width, height] = [view.layer.width, view.layer.height];
  const night = view.token("night-veil");
  context.globalAlpha = night ? 1 : 0.5;
  // a veil of paper, so that ink can be read on it; by night the picture itself is darkened
  context.drawImage(view.still, 0, 0, width, height);
  context.globalAlpha = 1;
  if (!night) return;
  context.globalCompositeOperation = "multiply";
  context.fillStyle = night;
  context.fillRect(0, 0, width, height);
  context.globalCompositeOperation = "source-over";
}

export function map(view, context) {
  const { seconds, most_s: most } = view.map;
  context.fillStyle = view.token("oxide");
  const [w, h] = [view.layer.width / seconds[0].length, view.layer.height / seconds.length];
  seconds.forEach((row, r) =>
    row.forEach((s, c) => {
      if (s <= 0) return;
      context.globalAlpha = 0.1 + 0.8 * Math.sqrt(s / most);
      context.fillRect(c * w, r * h, w + 0.5, h + 0.5);
    }),
  );
  context.globalAlpha = 1;
}

export function ends(view, context, paths, end, colour) {
  const r = 3.6 * view.unit;
  context.fillStyle = colour;
  context.lineWidth = 1.3 * view.unit;
  context.beginPath();
  for (const { points } of paths) {
    const [x, y] = points[points.length - 1];
    if (end === "cross") {
      context.moveTo(x - r, y - r);
      context.lineTo(x + r, y + r);
      context.moveTo(x + r, y - r);
      context.lineTo(x - r, y + r);
    } else if (end === "bar") {
      context.moveTo(x - r, y);
      context.lineTo(x + r, y);
    } else if (end === "dot") {
      context.moveTo(x + r / 2, y);
      context.arc(x, y, r / 2, 0, 7);
    } else {
      context.moveTo(x, y - r);
      context.lineTo(x + r, y);
      context.lineTo(x, y + r);
      context.lineTo(x - r, y);
      context.closePath();
    }
  }
  if (end === "lozenge" || end === "dot") context.fill();
  else context.stroke();
}

export function box(view, context, { x, y, w, h, text, code, index }) {
  const chosen = index !== undefined && index === view.object;
  if (w === 0) {
    context.beginPath();
    context.arc(x, y, (chosen ? 6 : 4) * view.unit, 0, 7);
    context.fillStyle = view.token(code ? view.look(code).colour : "ink");
    context.fill();
    return;
  } // a point on a plan
  context.lineWidth = (chosen ? 3 : 1.6) * view.unit;
  context.strokeStyle = view.token("panel");
  context.strokeRect(x - view.unit, y - view.unit, w + 2 * view.unit, h + 2 * view.unit);
  context.strokeStyle = view.token(code ? view.look(code).colour : "ink");
  context.setLineDash(code ? view.look(code).dash.map((d) => d * view.unit) : []);
  context.strokeRect(x, y, w, h);
  context.setLineDash([]);
  if (!text) return;
  context.font = `500 ${11 * view.unit}px "Barlow Condensed", sans-serif`;
  const width = context.measureText(text).width + 6 * view.unit;
  context.fillStyle = view.token("ink");
  context.fillRect(x, Math.max(y - 14 * view.unit, 0), width, 14 * view.unit);
  context.fillStyle = view.token("panel");
  context.fillText(text, x + 3 * view.unit, Math.max(y - 3.6 * view.unit, 10.4 * view.unit));
}

export function lines(view, region, unit) {
  if (region.shape !== "line" || region.role === "reference") return [];
  const [[x0, y0], [x1, y1]] = region.points;
  const length = Math.hypot(x1 - x0, y1 - y0) || 1;
  const [nx, ny] = [-(y1 - y0) / length, (x1 - x0) / length]; // towards B
  const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
  const parts = [];
  if (view.band > 0)
    parts.push(
      el("polygon", {
        class: "band",
        points: [
          [x0 + nx * view.band, y0 + ny * view.band],
          [x1 + nx * view.band, y1 + ny * view.band],
          [x1 - nx * view.band, y1 - ny * view.band],
          [x0 - nx * view.band, y0 - ny * view.band],
        ]
          .map((p) => p.join(","))
          .join(" "),
      }),
    );
  const arm = 26 * unit;
  const head = (sign, class_) => {
    const [tx, ty] = [mx + sign * nx * arm, my + sign * ny * arm];
    const [px, py] = [-ny, nx];
    const h = 6 * unit;
    return el("path", {
      class: class_,
      d:
        `M${mx} ${my}L${tx} ${ty}M${tx - sign * nx * h + px * h * 0.6} ` +
        `${ty - sign * ny * h + py * h * 0.6}L${tx} ${ty}L${tx - sign * nx * h - px * h * 0.6} ` +
        `${ty - sign * ny * h - py * h * 0.6}`,
    });
  };
  for (const sign of view.arrows ?? [1]) parts.push(head(sign, "arrow-shadow"), head(sign, "arrow"));
  for (const [sign, word] of [
    [-1, "A"],
    [1, "B"],
  ]) {
    const [tx, ty] = [x0 + (mx - x0) * 0.35 + sign * nx * 15 * unit, y0 + (my - y0) * 0.35 + sign * ny * 15 * unit];
    parts.push(
      el("circle", { class: "side-disc", cx: tx, cy: ty, r: 8 * unit }),
      el("text", { class: "side-word", x: tx, y: ty + 4 * unit, "font-size": 11.5 * unit }, word),
    );
  }
  return parts;
}
