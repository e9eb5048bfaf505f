// The heat image: raw pixels coloured on a canvas, a labelled scale, the value under the pointer; regions lie on top.
import { colours, cssColours } from "./palettes.js";
import { RegionView } from "/static/signals/regionview.js";
import { el, redraw, short, ticks } from "/static/js/svg.js";
import { PLAIN, read, show } from "/static/js/units.js";

const ISOTHERM = 0xffd8e04a | 0; // of no palette, packed little-endian RGBA

// `take`: width, height, scale, offsetC, dtype. `parts`: stage, canvas, overlay, scale (elements). `on`: callbacks.
export class HeatView extends RegionView {
  constructor(take, parts, on = {}, quantity = PLAIN) {
    super(take, parts, on);
    Object.assign(this, { take, quantity });
    this.beside = this.scale ? 66 : 0;
    this.isotherm = null; // °C: all pixels above it in one colour
    this.against = null; // raw pixels of a frame to show the difference to
    this.line = null; // of the profile, in pixels
    this.spotPx = 0; // width of the smallest target, in pixels; 0: not known
    this.low = 0;
    this.high = 100;
    this.palette = "ember";
    this.pixels = null;
    this.level = null;
    this.canvas.width = take.width;
    this.canvas.height = take.height;
    this.context = this.canvas.getContext("2d");
    this.image = this.context.createImageData(take.width, take.height);
    this.words = new Uint32Array(this.image.data.buffer);
  }

  // ---- pixels ----

  celsius(raw) {
    return raw * this.take.scale + this.take.offsetC;
  }

  show(pixels) {
    this.pixels = pixels;
    this.paint();
    this.#read();
  }

  setScale(low, high) {
    Object.assign(this, { low, high });
    this.paint();
    this.drawScale();
  }

  setPalette(name) {
    this.palette = name;
    this.paint();
    this.drawScale();
  }

  range(only = null) {
    // of the present frame or of some of its pixels, in whole degrees
    const { low, high } = this.figures(only);
    return [Math.floor(low), Math.ceil(high)];
  }

  figures(only = null) {
    // °C as recorded
    let [low, high, sum] = [Infinity, -Infinity, 0];
    const count = only ? only.length : this.pixels.length;
    for (let i = 0; i < count; i++) {
      const raw = this.pixels[only ? only[i] : i];
      if (raw < low) low = raw;
      if (raw > high) high = raw;
      sum += raw;
    }
    return { low: this.celsius(low), high: this.celsius(high), mean: this.celsius(sum / count) };
  }

  paint() {
    if (!this.pixels) return;
    if (this.against) return this.#paintDifference();
    const map = colours(this.palette);
    const gain = (255 * this.take.scale) / (this.high - this.low);
    const shift = (255 * (this.take.offsetC - this.low)) / (this.high - this.low);
    const { pixels, words } = this;
    const above = this.isotherm === null ? Infinity : (this.isotherm - this.take.offsetC) / this.take.scale;
    for (let i = 0; i < pixels.length; i++) {
      const at = pixels[i] * gain + shift;
      words[i] = pixels[i] > above ? ISOTHERM : map[at < 0 ? 0 : at > 255 ? 255 : at | 0];
    }
    this.context.putImageData(this.image, 0, 0);
  }

  // Both ways alike around no change; the reach is the greatest change there is, in whole degrees, and stands at the
  // scale.
  #paintDifference() {
    const map = colours("change");
    const { pixels, against, words } = this;
    let most = 0;
    for (let i = 0; i < pixels.length; i++) most = Math.max(most, Math.abs(pixels[i] - against[i]));
    this.reach = Math.max(Math.ceil(most * this.take.scale), 1);
    const gain = (127.5 * this.take.scale) / this.reach;
    for (let i = 0; i < pixels.length; i++)
      words[i] = map[Math.min(Math.max((pixels[i] - against[i]) * gain + 127.5, 0), 255) | 0];
    this.context.putImageData(this.image, 0, 0);
    this.drawScale();
  }

  drawScale() {
    if (!this.scale) return;
    const height = this.stage.clientHeight || 300;
    this.scale.setAttribute("viewBox", `0 0 52 ${height}`);
    this.scale.style.height = `${height}px`;
    const [low, high] = this.against ? [-this.reach, this.reach] : [this.low, this.high];
    const y = (value) => height - ((value - low) / (high - low)) * height;
    const stops = cssColours(this.against ? "change" : this.palette);
    const q = this.against ? { ...this.quantity, offset: 0 } : this.quantity;
    const gradient = el(
      "linearGradient",
      { id: "scale-fill", x1: 0, y1: 1, x2: 0, y2: 0 },
      stops.map((colour, i) => el("stop", { offset: i / (stops.length - 1), "stop-color": colour })),
    );
    const parts = [el("defs", {}, gradient), el("rect", { x: 8, y: 0, width: 12, height, fill: "url(#scale-fill)" })];
    for (const shown of ticks(show(q, low), show(q, high), 6))
      parts.push(el("text", { x: 25, y: Math.min(Math.max(y(read(q, shown)) + 4, 9), height) }, short(shown)));
    if (this.isotherm !== null && !this.against && this.isotherm > low && this.isotherm < high)
      parts.push(el("rect", { class: "isotherm", x: 8, width: 12, y: 0, height: y(this.isotherm) }));
    if (!this.against && this.level !== null && this.level > low && this.level < high)
      parts.push(
        el("line", { class: "level", x1: 4, x2: 22, y1: y(this.level), y2: y(this.level) }),
        el("path", { class: "needle", d: `M0 ${y(this.level) - 4}v8l5-4Z` }),
      );
    redraw(this.scale, parts);
  }

  // ---- over the picture ----

  pointed() {
    this.#read();
  }
  fitted() {
    this.drawScale();
  }
  lineDrawn(line) {
    this.line = line;
    this.on.line?.(line);
  }

  more() {
    const parts = [];
    if (this.spotPx && this.regions[this.chosen]) parts.push(this.#smallest(this.corners(this.regions[this.chosen])));
    if (this.line)
      parts.push(
        el("polyline", { class: "shadow", points: this.line.map((p) => p.join(",")).join(" ") }),
        el("polyline", { class: "profile-line", points: this.line.map((p) => p.join(",")).join(" ") }),
      );
    return parts;
  }

  // The smallest target that is really measured, in the middle of the chosen region.
  #smallest(points) {
    const [cx, cy] = [0, 1].map((axis) => points.reduce((sum, p) => sum + p[axis], 0) / points.length);
    const half = this.spotPx / 2;
    return el(
      "g",
      {},
      el("rect", { class: "shadow", x: cx - half, y: cy - half, width: 2 * half, height: 2 * half }),
      el(
        "rect",
        { class: "smallest", x: cx - half, y: cy - half, width: 2 * half, height: 2 * half },
        el("title", {}, "the smallest target that is measured"),
      ),
    );
  }

  #read() {
    if (!this.pointer || !this.pixels) return this.on.read?.(null);
    const x = Math.min(Math.floor(this.pointer[0]), this.take.width - 1);
    const y = Math.min(Math.floor(this.pointer[1]), this.take.height - 1);
    this.on.read?.({ x, y, c: this.celsius(this.pixels[y * this.take.width + x]) });
  }
}

// `dtype`: of what comes live; a frame of a take says its own.
export async function fetchFrame(url, dtype, signal) {
  const answer = await fetch(url, { signal, cache: "no-store" });
  // kept by the browser, an hour of frames would fill the tab
  if (!answer.ok) throw new Error(`frame: ${answer.status}`);
  const data = await answer.arrayBuffer();
  return (answer.headers.get("X-Dtype") ?? dtype) === "uint16" ? new Uint16Array(data) : new Float32Array(data);
}
