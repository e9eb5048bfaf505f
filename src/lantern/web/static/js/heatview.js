// The heat image: raw pixels coloured on a canvas, a labelled scale, the value under the pointer, regions drawn on top.
import { colours, cssColours } from "./palettes.js";
import { el, short, ticks } from "./svg.js";
import { PLAIN, read, show } from "./units.js";

const ISOTHERM = 0xffd8e04a | 0; // of no palette, packed little-endian RGBA

// `take`: width, height, scale, offsetC, dtype. `parts`: stage, canvas, overlay, scale (elements). `on`: callbacks.
export class HeatView {
  constructor(take, parts, on = {}, quantity = PLAIN) {
    Object.assign(this, { take, ...parts, on, quantity });
    this.isotherm = null; // °C: all pixels above it in one colour
    this.against = null; // raw pixels of a frame to show the difference to
    this.line = null; // of the profile, in pixels
    this.spotPx = 0; // width of the smallest target, in pixels; 0: not known
    this.low = 0;
    this.high = 100;
    this.palette = "ember";
    this.regions = [];
    this.chosen = -1;
    this.tool = null;
    this.draft = null;
    this.pixels = null;
    this.readings = {};
    this.level = null;
    this.canvas.width = take.width;
    this.canvas.height = take.height;
    this.context = this.canvas.getContext("2d");
    this.image = this.context.createImageData(take.width, take.height);
    this.words = new Uint32Array(this.image.data.buffer);
    this.overlay.setAttribute("viewBox", `0 0 ${take.width} ${take.height}`);
    this.#listen();
    new ResizeObserver(() => this.fit()).observe(this.stage.parentElement);
  }

  // ---- pixels ----

  celsius(raw) { return raw * this.take.scale + this.take.offsetC; }

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

  range(only = null) { // of the present frame or of some of its pixels, in whole degrees
    const { low, high } = this.figures(only);
    return [Math.floor(low), Math.ceil(high)];
  }

  figures(only = null) { // °C as recorded
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

  // Both ways alike around no change; the reach is the greatest change there is, in whole degrees, and stands at the scale.
  #paintDifference() {
    const map = colours("change");
    const { pixels, against, words } = this;
    let most = 0;
    for (let i = 0; i < pixels.length; i++) most = Math.max(most, Math.abs(pixels[i] - against[i]));
    this.reach = Math.max(Math.ceil(most * this.take.scale), 1);
    const gain = (127.5 * this.take.scale) / this.reach;
    for (let i = 0; i < pixels.length; i++) words[i] = map[Math.min(Math.max((pixels[i] - against[i]) * gain + 127.5, 0), 255) | 0];
    this.context.putImageData(this.image, 0, 0);
    this.drawScale();
  }

  fit() {
    const box = this.stage.parentElement.getBoundingClientRect();
    const room = box.width - (this.scale ? 66 : 0);
    const factor = Math.max(Math.min(room / this.take.width, box.height / this.take.height), 0.3);
    this.stage.style.width = `${Math.floor(this.take.width * factor)}px`;
    this.stage.style.height = `${Math.floor(this.take.height * factor)}px`;
    this.unit = 1 / factor; // one screen pixel in picture pixels
    this.drawRegions();
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
    const gradient = el("linearGradient", { id: "scale-fill", x1: 0, y1: 1, x2: 0, y2: 0 }, stops.map((colour, i) => el("stop", { offset: i / (stops.length - 1), "stop-color": colour })));
    const parts = [el("defs", {}, gradient), el("rect", { x: 8, y: 0, width: 12, height, fill: "url(#scale-fill)" })];
    for (const shown of ticks(show(q, low), show(q, high), 6)) parts.push(el("text", { x: 25, y: Math.min(Math.max(y(read(q, shown)) + 4, 9), height) }, short(shown)));
    if (this.isotherm !== null && !this.against && this.isotherm > low && this.isotherm < high) parts.push(el("rect", { class: "isotherm", x: 8, width: 12, y: 0, height: y(this.isotherm) }));
    if (!this.against && this.level !== null && this.level > low && this.level < high) parts.push(el("line", { class: "level", x1: 4, x2: 22, y1: y(this.level), y2: y(this.level) }), el("path", { class: "needle", d: `M0 ${y(this.level) - 4}v8l5-4Z` }));
    this.scale.replaceChildren(...parts);
  }

  // ---- regions ----

  setRegions(regions, chosen = this.chosen) {
    this.regions = regions;
    this.chosen = chosen;
    this.drawRegions();
  }

  setTool(tool) {
    this.tool = tool;
    this.draft = null;
    this.drawRegions();
  }

  corners(region) {
    if (region.shape !== "box") return region.points;
    const [[x0, y0], [x1, y1]] = region.points;
    return [[x0, y0], [x1, y0], [x1, y1], [x0, y1]];
  }

  drawRegions() {
    const unit = this.unit ?? 1;
    const parts = [];
    this.regions.forEach((region, index) => {
      const points = this.corners(region);
      const group = el("g", { "data-region": index, class: `role-${region.role ?? "watch"}` });
      if (region.shape === "spot") {
        const [x, y] = [Math.floor(points[0][0]) + 0.5, Math.floor(points[0][1]) + 0.5];
        const arm = 9 * unit;
        group.append(el("path", { class: "shadow", d: `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}` }), el("path", { class: "cross", d: `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}` }), el("circle", { class: "shape", cx: x, cy: y, r: 7 * unit, "data-move": index }));
      } else {
        const path = points.map((p) => p.join(",")).join(" ");
        group.append(el("polygon", { class: "shadow", points: path }), el("polygon", { class: `shape ${index === this.chosen ? "chosen" : ""}`, points: path, "data-move": index }));
        if (index === this.chosen) points.forEach(([x, y], corner) => group.append(el("circle", { class: "handle", cx: x, cy: y, r: 5 * unit, "data-region": index, "data-corner": corner })));
      }
      parts.push(group, this.#tag(region, points, unit, index));
    });
    if (this.spotPx && this.regions[this.chosen]) parts.push(this.#smallest(this.corners(this.regions[this.chosen])));
    if (this.line) parts.push(el("polyline", { class: "shadow", points: this.line.map((p) => p.join(",")).join(" ") }), el("polyline", { class: "profile-line", points: this.line.map((p) => p.join(",")).join(" ") }));
    if (this.draft) parts.push(this.#drawDraft(unit));
    this.overlay.replaceChildren(...parts);
    this.overlay.style.cursor = this.tool ? "crosshair" : "default";
  }

  // Only what changes with every frame.
  drawTags() {
    for (const tag of this.overlay.querySelectorAll("[data-tag]")) {
      const text = this.#tagText(this.regions[tag.dataset.tag]);
      if (tag.textContent !== text) tag.textContent = text;
    }
  }

  #tagText(region) {
    const reading = this.readings[region?.name];
    return `${region?.name ?? ""}${reading === undefined ? "" : `  ${reading}`}`;
  }

  #tag(region, points, unit, index) {
    const text = this.#tagText(region);
    const width = (text.length * 5.3 + 14) * unit;
    const x = Math.min(Math.min(...points.map((p) => p[0])), this.take.width - width);
    const y = Math.max(Math.min(...points.map((p) => p[1])) - 24 * unit, 0);
    return el("g", {}, el("rect", { class: "tag", x, y, width, height: 19 * unit }), el("text", { class: "tag-text", "data-tag": index, x: x + 7 * unit, y: y + 13.8 * unit, "font-size": 13.5 * unit }, text));
  }

  // The smallest target that is really measured, in the middle of the chosen region.
  #smallest(points) {
    const [cx, cy] = [0, 1].map((axis) => points.reduce((sum, p) => sum + p[axis], 0) / points.length);
    const half = this.spotPx / 2;
    return el("g", {}, el("rect", { class: "shadow", x: cx - half, y: cy - half, width: 2 * half, height: 2 * half }), el("rect", { class: "smallest", x: cx - half, y: cy - half, width: 2 * half, height: 2 * half }, el("title", {}, "the smallest target that is measured")));
  }

  #drawDraft(unit) {
    const { points, at } = this.draft;
    if (this.draft.shape === "box") {
      const [[x0, y0], [x1, y1]] = [points[0], at];
      return el("rect", { class: "shape", x: Math.min(x0, x1), y: Math.min(y0, y1), width: Math.abs(x1 - x0), height: Math.abs(y1 - y0) });
    }
    const path = [...points, at].filter(Boolean).map((p) => p.join(",")).join(" ");
    return el("g", {}, el("polyline", { class: "shadow", points: path }), el("polyline", { class: "shape", points: path }), points.map(([x, y]) => el("circle", { class: "handle", cx: x, cy: y, r: 4 * unit })));
  }

  // ---- pointer ----

  #point(event) {
    const box = this.overlay.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * this.take.width;
    const y = ((event.clientY - box.top) / box.height) * this.take.height;
    const clip = (value, most) => Math.round(Math.min(Math.max(value, 0), most) * 2) / 2;
    return [clip(x, this.take.width), clip(y, this.take.height)];
  }

  #listen() {
    let drag = null;
    this.overlay.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const at = this.#point(event);
      if (this.tool === "spot") return this.#finish("spot", [[Math.floor(Math.min(at[0], this.take.width - 1)), Math.floor(Math.min(at[1], this.take.height - 1))]]);
      if (this.tool === "line") {
        this.draft = { shape: "line", points: [at], at };
        this.overlay.setPointerCapture(event.pointerId);
        return this.drawRegions();
      }
      if (this.tool === "box") {
        this.draft = { shape: "box", points: [at], at };
        this.overlay.setPointerCapture(event.pointerId);
        return this.drawRegions();
      }
      if (this.tool === "polygon") {
        const first = this.draft?.points[0];
        if (first && this.draft.points.length > 2 && Math.hypot(at[0] - first[0], at[1] - first[1]) < 9 * this.unit) return this.#finish("polygon", this.draft.points);
        this.draft = { shape: "polygon", points: [...(this.draft?.points ?? []), at], at };
        return this.drawRegions();
      }
      const corner = event.target.dataset?.corner;
      const move = event.target.dataset?.move ?? (corner === undefined ? undefined : event.target.dataset.region);
      if (move === undefined) return this.on.choose?.(-1);
      this.on.choose?.(Number(move));
      drag = { index: Number(move), corner: corner === undefined ? null : Number(corner), from: at, points: this.regions[Number(move)].points.map((p) => [...p]), moved: false };
      this.overlay.setPointerCapture(event.pointerId);
    });
    this.overlay.addEventListener("pointermove", (event) => {
      this.pointer = this.#point(event);
      this.#read();
      if (this.draft) { this.draft.at = this.pointer; return this.drawRegions(); }
      if (!drag) return;
      drag.moved = true;
      this.regions[drag.index] = { ...this.regions[drag.index], points: this.#dragged(drag, this.pointer) };
      this.drawRegions();
    });
    this.overlay.addEventListener("pointerup", () => {
      if (this.draft?.shape === "line") {
        const line = [this.draft.points[0], this.draft.at];
        this.draft = null;
        this.tool = null;
        this.line = line[0].join() === line[1].join() ? null : line;
        this.on.tool?.(null);
        this.on.line?.(this.line);
        return this.drawRegions();
      }
      if (this.draft?.shape === "box") {
        const [[x0, y0], [x1, y1]] = [this.draft.points[0], this.draft.at];
        if (Math.abs(x1 - x0) >= 1 && Math.abs(y1 - y0) >= 1) this.#finish("box", [[Math.min(x0, x1), Math.min(y0, y1)], [Math.max(x0, x1), Math.max(y0, y1)]]);
        else this.setTool(this.tool);
      }
      if (drag?.moved) this.on.change?.(this.regions);
      drag = null;
    });
    this.overlay.addEventListener("dblclick", () => { if (this.draft?.points.length > 2) this.#finish("polygon", this.draft.points.slice(0, -1).length > 2 ? this.draft.points.slice(0, -1) : this.draft.points); });
    this.overlay.addEventListener("pointerleave", () => { this.pointer = null; this.#read(); });
    document.addEventListener("keydown", (event) => {
      if (!this.draft || event.target.closest("input, select, textarea")) return;
      if (event.key === "Escape") this.setTool(null), this.on.tool?.(null);
      if (event.key === "Enter" && this.draft.points.length > 2) this.#finish("polygon", this.draft.points);
    });
  }

  #dragged(drag, at) {
    const [dx, dy] = [at[0] - drag.from[0], at[1] - drag.from[1]];
    const region = this.regions[drag.index];
    const inside = ([x, y]) => [Math.min(Math.max(x, 0), this.take.width), Math.min(Math.max(y, 0), this.take.height)];
    if (drag.corner === null) { // as a whole, not beyond the picture's edge
      const xs = drag.points.map((p) => p[0]);
      const ys = drag.points.map((p) => p[1]);
      const most = region.shape === "spot" ? 1 : 0;
      const mx = Math.min(Math.max(dx, -Math.min(...xs)), this.take.width - most - Math.max(...xs));
      const my = Math.min(Math.max(dy, -Math.min(...ys)), this.take.height - most - Math.max(...ys));
      return drag.points.map(([x, y]) => [x + mx, y + my]);
    }
    const points = drag.points.map((p) => [...p]);
    if (region.shape === "box") {
      const column = drag.corner === 1 || drag.corner === 2 ? 1 : 0;
      const row = drag.corner >= 2 ? 1 : 0;
      const [x, y] = inside(at);
      if (x !== points[1 - column][0]) points[column][0] = x;
      if (y !== points[1 - row][1]) points[row][1] = y;
    } else points[drag.corner] = inside(at);
    return points;
  }

  #finish(shape, points) {
    this.draft = null;
    this.tool = null;
    this.on.tool?.(null);
    this.on.add?.(shape, points);
  }

  #read() {
    if (!this.pointer || !this.pixels) return this.on.read?.(null);
    const x = Math.min(Math.floor(this.pointer[0]), this.take.width - 1);
    const y = Math.min(Math.floor(this.pointer[1]), this.take.height - 1);
    this.on.read?.({ x, y, c: this.celsius(this.pixels[y * this.take.width + x]) });
  }
}

export async function fetchFrame(url, dtype, signal) {
  const answer = await fetch(url, { signal, cache: "no-store" }); // kept by the browser, an hour of frames would fill the tab
  if (!answer.ok) throw new Error(`frame: ${answer.status}`);
  const data = await answer.arrayBuffer();
  return dtype === "uint16" ? new Uint16Array(data) : new Float32Array(data);
}
