// Small helpers to draw SVG.
const SPACE = "http://www.w3.org/2000/svg";

export function el(name, attributes = {}, ...children) {
  const node = document.createElementNS(SPACE, name);
  for (const [key, value] of Object.entries(attributes))
    if (value !== null && value !== undefined && value !== false) node.setAttribute(key, value);
  for (const child of children.flat())
    if (child !== null && child !== undefined)
      node.append(child instanceof Node ? child : document.createTextNode(child));
  return node;
}

// Everything in a drawing anew. Alpine would look at each node that comes and goes, though none is its own: it is
// told not to.
export function redraw(svg, parts) {
  const draw = () => svg.replaceChildren(...parts);
  if (window.Alpine) window.Alpine.mutateDom(draw);
  else draw();
}

const SHAPES = {
  hit: (r) => el("path", { d: `M0 ${-r}L${r} 0 0 ${r}${-r} 0Z` }),
  miss: (r) => el("path", { d: `M0 ${-r}L${r} 0 0 ${r}${-r} 0Z` }),
  false: (r) =>
    el("path", { d: `M${-r * 0.8} ${-r * 0.8} ${r * 0.8} ${r * 0.8}M${r * 0.8} ${-r * 0.8} ${-r * 0.8} ${r * 0.8}` }),
  plain: (r) => el("circle", { r: r * 0.6 }),
  repeat: (r) => el("circle", { r: r * 0.45 }),
  ignored: (r) => el("rect", { x: -r * 0.8, y: -r * 0.8, width: r * 1.6, height: r * 1.6 }),
};

export function glyph(kind, x, y, r = 6) {
  return el("g", { class: `glyph-${kind}`, transform: `translate(${x} ${y})` }, SHAPES[kind](r));
}

// Something is dragged on a drawing: `begin` says whether it may, `move` is told of each place, and at last that it
// is done.
export function draggedOn(svg, begin, move) {
  let held = false;
  svg.addEventListener("pointerdown", (event) => {
    if (!begin(event)) return;
    svg.setPointerCapture(event.pointerId);
    held = true;
    move(event, false);
  });
  svg.addEventListener("pointermove", (event) => {
    if (held) move(event, false);
  });
  svg.addEventListener("pointerup", (event) => {
    if (held) move(event, true);
    held = false;
  });
}

// Round numbers for the ticks of an axis: about `count` of them between low and high.
export function ticks(low, high, count) {
  const rough = (high - low) / Math.max(count, 1);
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 2.5, 5, 10].map((f) => f * power).find((s) => s >= rough) ?? rough;
  const out = [];
  for (let value = Math.ceil(low / step - 1e-9) * step; value <= high + step * 1e-9; value += step)
    out.push(Number(value.toPrecision(10)));
  return out;
}

export const short = (value, digits = 4) => (Number.isFinite(value) ? String(Number(value.toPrecision(digits))) : "");

// Day and time in a time zone, of seconds since 1970.
export const dayAndTime = (at, timeZone) =>
  new Date(at * 1000).toLocaleString("sv-SE", {
    timeZone,
    year: "numeric",
    month: "2-digit",
    day: "2-digit",
    hour: "2-digit",
    minute: "2-digit",
  }); // the locale that writes 2026-03-04 05:12

// Wall clock of the site for a time of the take.
export function clock(take, t, seconds = false) {
  const date = new Date((take.start + take.offsetS + t) * 1000);
  return date.toISOString().slice(11, seconds ? 19 : 16);
}
