// A scene: the still or plain ground, all tracks of a take in colour and dash by verdict, boxes of the present moment; lines and zones on top.
import { RegionView } from "./regionview.js";
import { el } from "./svg.js";
import { thinned } from "./tracks.js";

const PLAIN = ["ink", [], 0.9, "dot"]; // of what nobody has judged
const FAINT = ["strong-rule", [], 0.7, ""]; // of what there is nothing to say of

const LEAST_STEPS = 28; // points that a drawn track keeps
const REACH_PX = 9; // of a click around a track
const SLIGHT_PX = 1.2; // on the screen: bends that nobody sees
const FEW = 400; // tracks that change at a step: more, and all are drawn anew at once
const REST_MS = 250; // so long nothing new is awaited, and the hand rests
const MANY = 400; // tracks of one verdict: their dashes cannot be told apart any more, and hairlines are drawn five times as fast

// `take`: width, height, intervalS. `on`: callbacks of RegionView, and pickObject(index or -1).
export class SceneView extends RegionView {
  constructor(take, parts, on = {}) {
    super(take, parts, on);
    Object.assign(this, { take, tracks: null, paths: [], overdrawn: false, still: null, codes: [], shown: null,
      object: -1, t: 0, band: 0, looks: {}, map: null, live: null, hideTracks: false });
    this.context = this.canvas.getContext("2d");
    this.layer = document.createElement("canvas");
  }

  // `looks`: how tracks of each code are drawn, of whoever judges them; the first lie on top.
  look(code) {
    const [colour, dash, width, end] = this.looks[code] ?? (code === "" ? FAINT : PLAIN);
    return { colour, dash, width, end };
  }

  token(name) { return getComputedStyle(this.canvas).getPropertyValue(`--${name}`).trim(); }

  // ---- what there is to draw ----

  setTracks(tracks, anchor) {
    this.tracks = tracks;
    this.setAnchor(anchor);
  }

  // Each track as few points of its anchor, laid out once; and when it is there.
  setAnchor(anchor) {
    this.anchor = anchor;
    const { spans, box, t_s } = this.tracks;
    const down = { foot: 1, centre: 0.5, top: 0 }[anchor];
    this.paths = [];
    for (let i = 0; i + 1 < spans.length; i++) {
      const [from, to] = [spans[i], spans[i + 1]];
      const step = Math.max((to - from - 1) / LEAST_STEPS, 1);
      const points = [];
      for (let at = from; at < to; at += step) points.push(this.#place(Math.floor(at), down));
      if (to > from) points.push(this.#place(to - 1, down));
      this.paths.push({ points: thinned(points, SLIGHT_PX * this.unit), from: t_s[from], to: t_s[to - 1], first: from,
        stop: to });
    }
    this.drawTracks();
  }

  #place(i, down) { const { box } = this.tracks; return [box[4 * i] + box[4 * i + 2] / 2,
    box[4 * i + 1] + box[4 * i + 3] * down]; }

  // Tracks whose verdict has changed are drawn over the others at once, for the eye follows those; all anew when the hand rests.
  setCodes(codes) {
    const began = performance.now();
    const changed = [...this.paths.keys()].filter((i) => codes[i] !== this.codes[i]);
    this.codes = codes;
    if (changed.length > FEW || !this.zoom || this.hideTracks) { this.drawTracks(); return; }
    this.#paths(this.layer.getContext("2d"), changed, true);
    this.paint();
    this.canvas.dataset.changedMs = (performance.now() - began).toFixed(1);
    this.overdrawn = true;
  }

  // Between these two new verdicts are awaited: drawing all tracks anew would only make them late.
  awaits() { clearTimeout(this.resting); }
  rests() { if (this.overdrawn) this.resting = setTimeout(() => this.drawTracks(), REST_MS); }

  // `shown`: index of a track to whether it is to be seen.
  setShown(shown) { this.shown = shown; this.drawTracks(); }

  // ---- drawing ----

  fitted() {
    const ratio = Math.min(window.devicePixelRatio || 1, 2);
    for (const canvas of [this.canvas, this.layer]) { canvas.width = Math.round(this.stage.clientWidth * ratio);
      canvas.height = Math.round(this.stage.clientHeight * ratio); }
    this.zoom = this.canvas.width / this.take.width;
    this.drawTracks();
  }

  drawTracks() {
    clearTimeout(this.resting);
    if (!this.zoom) return;
    this.overdrawn = false;
    const began = performance.now();
    const context = this.layer.getContext("2d");
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, this.layer.width, this.layer.height);
    this.#ground(context);
    if (this.map) this.#map(context);
    if (this.tracks && !this.hideTracks) this.#paths(context, this.paths.keys());
    this.paint();
    this.canvas.dataset.drawnMs = (performance.now() - began).toFixed(1);
  }

  #ground(context) {
    context.fillStyle = this.token("panel");
    context.fillRect(0, 0, this.layer.width, this.layer.height);
    if (!this.still) return;
    const [width, height] = [this.layer.width, this.layer.height];
    const night = this.token("night-veil");
    context.globalAlpha = night ? 1 : 0.5;
      // a veil of paper, so that ink can be read on it; by night the picture itself is darkened
    context.drawImage(this.still, 0, 0, width, height);
    context.globalAlpha = 1;
    if (!night) return;
    context.globalCompositeOperation = "multiply";
    context.fillStyle = night;
    context.fillRect(0, 0, width, height);
    context.globalCompositeOperation = "source-over";
  }

  #map(context) {
    const { seconds, most_s: most } = this.map;
    context.fillStyle = this.token("oxide");
    const [w, h] = [this.layer.width / seconds[0].length, this.layer.height / seconds.length];
    seconds.forEach((row, r) => row.forEach((s, c) => {
      if (s <= 0) return;
      context.globalAlpha = 0.1 + 0.8 * Math.sqrt(s / most);
      context.fillRect(c * w, r * h, w + 0.5, h + 0.5);
    }));
    context.globalAlpha = 1;
  }

  // Those of `which` (indices); `over`: they must cover what they were before.
  #paths(context, which, over = false) {
    const groups = {};
    for (const i of which) if (!this.shown ||
      this.shown(i)) (groups[this.codes[i] ?? ""] ??= []).push(this.paths[i]);
    const order = ["", ...Object.keys(this.looks).reverse(), "unjudged"];
    context.setTransform(this.zoom, 0, 0, this.zoom, 0, 0);
    context.lineJoin = "round";
    for (const code of order) {
      const paths = groups[code];
      if (!paths) continue;
      const { colour, dash, width, end } = this.look(code);
      context.strokeStyle = this.token(colour);
      const many = paths.length > MANY;
      context.lineWidth = many ? 0.99 / this.zoom : width * this.unit;
      context.setLineDash(many ? [] : dash.map((d) => d * this.unit));
      context.globalAlpha = over ? 1 : paths.length > 1500 ? 0.25 : paths.length > 150 ? 0.4 : width === FAINT[2]
        ? 0.8 : 0.75;
      for (let at = 0; at < paths.length; at += MANY) {
        context.beginPath();
        for (const { points } of paths.slice(at, at + MANY)) points.forEach(([x, y], k) => (k ? context.lineTo(x,
          y) : context.moveTo(x, y)));
        context.stroke();
      }
      context.setLineDash([]);
      context.globalAlpha = 1;
      if (end && paths.length < 1500) this.#ends(context, paths, end, this.token(colour));
    }
    context.setTransform(1, 0, 0, 1, 0, 0);
  }

  #ends(context, paths, end, colour) {
    const r = 3.6 * this.unit;
    context.fillStyle = colour;
    context.lineWidth = 1.3 * this.unit;
    context.beginPath();
    for (const { points } of paths) {
      const [x, y] = points[points.length - 1];
      if (end === "cross") { context.moveTo(x - r, y - r); context.lineTo(x + r, y + r); context.moveTo(x + r, y - r);
        context.lineTo(x - r, y + r); }
      else if (end === "bar") { context.moveTo(x - r, y); context.lineTo(x + r, y); }
      else if (end === "dot") { context.moveTo(x + r / 2, y); context.arc(x, y, r / 2, 0, 7); }
      else { context.moveTo(x, y - r); context.lineTo(x + r, y); context.lineTo(x, y + r); context.lineTo(x - r, y);
        context.closePath(); }
    }
    if (end === "lozenge" || end === "dot") context.fill(); else context.stroke();
  }

  // The layer of tracks as it is, and over it the boxes of this moment and the chosen object's way.
  paint() {
    const { context } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.drawImage(this.layer, 0, 0);
    context.setTransform(this.zoom, 0, 0, this.zoom, 0, 0);
    if (this.tracks && this.object >= 0) this.#chosenPath(context);
    for (const box of this.live ?? this.boxesAt(this.t)) this.#box(context, box);
    context.setTransform(1, 0, 0, 1, 0, 0);
  }

  #chosenPath(context) {
    const { first, stop } = this.paths[this.object];
    const down = { foot: 1, centre: 0.5, top: 0 }[this.anchor];
    context.lineJoin = "round"; // a shaking foot would else grow spikes
    for (const [colour, width] of [["panel", 6], ["ink", 2.4]]) {
      context.strokeStyle = this.token(colour);
      context.lineWidth = width * this.unit;
      context.beginPath();
      for (let i = first; i < stop; i++) { const [x, y] = this.#place(i, down); if (i > first) context.lineTo(x, y);
        else context.moveTo(x, y); }
      context.stroke();
    }
  }

  #box(context, { x, y, w, h, text, code, index }) {
    const chosen = index !== undefined && index === this.object;
    if (w === 0) { context.beginPath(); context.arc(x, y, (chosen ? 6 : 4) * this.unit, 0, 7);
      context.fillStyle = this.token(code ? this.look(code).colour : "ink"); context.fill(); return; } // a point on a plan
    context.lineWidth = (chosen ? 3 : 1.6) * this.unit;
    context.strokeStyle = this.token("panel");
    context.strokeRect(x - this.unit, y - this.unit, w + 2 * this.unit, h + 2 * this.unit);
    context.strokeStyle = this.token(code ? this.look(code).colour : "ink");
    context.setLineDash(code ? this.look(code).dash.map((d) => d * this.unit) : []);
    context.strokeRect(x, y, w, h);
    context.setLineDash([]);
    if (!text) return;
    context.font = `500 ${11 * this.unit}px "Barlow Condensed", sans-serif`;
    const width = context.measureText(text).width + 6 * this.unit;
    context.fillStyle = this.token("ink");
    context.fillRect(x, Math.max(y - 14 * this.unit, 0), width, 14 * this.unit);
    context.fillStyle = this.token("panel");
    context.fillText(text, x + 3 * this.unit, Math.max(y - 3.6 * this.unit, 10.4 * this.unit));
  }

  // Every track that is there at a time: its sample nearest before it.
  boxesAt(t) {
    if (!this.tracks || this.hideBoxes) return [];
    const { t_s, box, label, classes, ids } = this.tracks;
    const reach = (this.take.intervalS || 0.1) * 1.5;
    const out = [];
    this.paths.forEach((path, index) => {
      if (t < path.from - 1e-3 || t > path.to + reach || (this.shown && !this.shown(index))) return;
      let [low, high] = [path.first, path.stop - 1];
      while (low < high) { const middle = (low + high + 1) >> 1; if (t_s[middle] <= t + 1e-3) low = middle;
        else high = middle - 1; }
      if (t - t_s[low] > 1) return; // lost for the moment
      out.push({ index, x: box[4 * low], y: box[4 * low + 1], w: box[4 * low + 2], h: box[4 * low + 3],
        text: `${ids[index]} ${label[low] >= 0 ? classes[label[low]] : "unknown"}`, code: this.blind
          ? null : this.codes[index] });
    });
    return out;
  }

  setTime(t) { this.t = t; this.paint(); }
  setObject(index) { this.object = index; this.paint(); }

  // ---- picking ----

  struck([x, y]) {
    const box = (this.live ?? this.boxesAt(this.t)).findLast((b) => x >= b.x && x <= b.x + b.w && y >= b.y &&
      y <= b.y + b.h);
    const index = box?.index ?? this.#nearest(x, y);
    if (index !== undefined && index >= 0) this.on.pickObject?.(index);
    else { this.on.pickObject?.(-1); this.on.choose?.(-1); }
  }

  #nearest(x, y) {
    if (!this.tracks || this.hideTracks) return -1;
    let [best, found] = [(REACH_PX * this.unit) ** 2, -1];
    this.paths.forEach(({ points }, index) => {
      if (this.shown && !this.shown(index)) return;
      for (let k = 1; k < points.length; k++) {
        const [[ax, ay], [bx, by]] = [points[k - 1], points[k]];
        const [dx, dy] = [bx - ax, by - ay];
        const share = Math.min(Math.max(((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1), 0), 1);
        const away = (ax + share * dx - x) ** 2 + (ay + share * dy - y) ** 2;
        if (away < best) [best, found] = [away, index];
      }
    });
    return found;
  }

  // ---- lines with their band and sides ----

  beneath(region, index, unit) {
    if (region.shape !== "line" || region.role === "reference") return [];
    const [[x0, y0], [x1, y1]] = region.points;
    const length = Math.hypot(x1 - x0, y1 - y0) || 1;
    const [nx, ny] = [-(y1 - y0) / length, (x1 - x0) / length]; // towards B
    const [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
    const parts = [];
    if (this.band > 0) parts.push(el("polygon", { class: "band", points: [[x0 + nx * this.band, y0 + ny * this.band],
      [x1 + nx * this.band, y1 + ny * this.band], [x1 - nx * this.band, y1 - ny * this.band], [x0 - nx * this.band,
        y0 - ny * this.band]].map((p) => p.join(",")).join(" ") }));
    const arm = 26 * unit;
    const head = (sign, class_) => { const [tx, ty] = [mx + sign * nx * arm, my + sign * ny * arm]; const [px,
      py] = [-ny, nx]; const h = 6 * unit; return el("path", { class: class_,
        d: `M${mx} ${my}L${tx} ${ty}M${tx - sign * nx * h + px * h * 0.6} ${ty - sign * ny * h + py * h * 0.6}L${tx} ${ty}L${tx - sign * nx * h - px * h * 0.6} ${ty - sign * ny * h - py * h * 0.6}` }); };
    for (const sign of this.arrows ?? [1]) parts.push(head(sign, "arrow-shadow"), head(sign, "arrow"));
    for (const [sign, word] of [[-1, "A"], [1, "B"]]) {
      const [tx, ty] = [x0 + (mx - x0) * 0.35 + sign * nx * 15 * unit, y0 + (my - y0) * 0.35 + sign * ny * 15 * unit];
      parts.push(el("circle", { class: "side-disc", cx: tx, cy: ty, r: 8 * unit }), el("text", { class: "side-word",
        x: tx, y: ty + 4 * unit, "font-size": 11.5 * unit }, word));
    }
    return parts;
  }

  tagText(region) {
    const number = this.numbered ? `${this.regions.indexOf(region) + 1} ` : "";
    return `${number}${super.tagText(region)}`;
  }
}
