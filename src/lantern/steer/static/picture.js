// What a head would have seen, as a line drawing: parts come from the server, what is farthest first.
import { el, redraw } from "/static/js/svg.js";

const path = (points, closed) => `M${points.map((point) => point.join(" ")).join("L")}${closed ? "Z" : ""}`;

export function drawPicture(svg, picture) {
  const { width, height, parts } = picture;
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  redraw(
    svg,
    parts.map(([what, points, name]) =>
      el("path", { class: `drawn-${what}`, d: path(points, what !== "ground") }, name ? el("title", {}, name) : null),
    ),
  );
}
