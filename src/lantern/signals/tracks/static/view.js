// A scene: the still or plain ground, all tracks of a take in colour and dash by verdict, boxes of the present
// moment; lines and zones on top.
import { RegionView } from "/static/signals/regionview.js";
import * as ink from "./ink.js";
import { thinned } from "./tracks.js";

const PLAIN = ["ink", [], 0.9, "dot"]; // of what nobody has judged
const FAINT = ["strong-rule", [], 0.7, ""]; // of what there is nothing to say of

const LEAST_STEPS = 28; // points that a drawn track keeps
const REACH_PX = 9; // of a click around a track
const SLIGHT_PX = 1.2; // on the screen: bends that nobody sees
const FEW = 400; // tracks that change at a step: more, and all are drawn anew at once
const REST_MS = 250; // so long nothing new is awaited, and the hand rests
// Tracks of one verdict: their dashes cannot be told apart any more, and hairlines are drawn five times as fast.
const MANY = 400;

// `take`: width, height, intervalS. `on`: callbacks of RegionView, and pickObject(index or -1).
export class SceneView extends RegionView {
  constructor(take, parts, on = {}) {
    super(take, parts, on);
    Object.assign(this, {
      take,
      tracks: null,
      paths: [],
      overdrawn: false,
      still: null,
      codes: [],
      shown: null,
      object: -1,
      t: 0,
      band: 0,
      looks: {},
      map: null,
      live: null,
      hideTracks: false,
    });
    this.context = this.canvas.getContext("2d");
    this.layer = document.createElement("canvas");
  }

  // `looks`: how tracks of each code are drawn, of whoever judges them; the first lie on top.
  look(code) {
    const [colour, dash, width, end] = this.looks[code] ?? (code === "" ? FAINT : PLAIN);
    return { colour, dash, width, end };
  }

  token(name) {
    return getComputedStyle(this.canvas).getPropertyValue(`--${name}`).trim();
  }

  // ---- what there is to draw ----

  setTracks(tracks, anchor) {
    this.tracks = tracks;
    this.setAnchor(anchor);
  }

  // Each track as few points of its anchor, laid out once; and when it is there.
  setAnchor(anchor) {
    this.anchor = anchor;
    const { spans, t_s } = this.tracks;
    const down = { foot: 1, centre: 0.5, top: 0 }[anchor];
    this.paths = [];
    for (let i = 0; i + 1 < spans.length; i++) {
      const [from, to] = [spans[i], spans[i + 1]];
      const step = Math.max((to - from - 1) / LEAST_STEPS, 1);
      const points = [];
      for (let at = from; at < to; at += step) points.push(this.#place(Math.floor(at), down));
      if (to > from) points.push(this.#place(to - 1, down));
      this.paths.push({
        points: thinned(points, SLIGHT_PX * this.unit),
        from: t_s[from],
        to: t_s[to - 1],
        first: from,
        stop: to,
      });
    }
    this.drawTracks();
  }

  #place(i, down) {
    const { box } = this.tracks;
    return [box[4 * i] + box[4 * i + 2] / 2, box[4 * i + 1] + box[4 * i + 3] * down];
  }

  // Tracks whose verdict has changed are drawn over the others at once, for the eye follows those; all anew when the
  // hand rests.
  setCodes(codes) {
    const began = performance.now();
    const changed = [...this.paths.keys()].filter((i) => codes[i] !== this.codes[i]);
    this.codes = codes;
    if (changed.length > FEW || !this.zoom || this.hideTracks) {
      this.drawTracks();
      return;
    }
    this.#paths(this.layer.getContext("2d"), changed, true);
    this.paint();
    this.canvas.dataset.changedMs = (performance.now() - began).toFixed(1);
    this.overdrawn = true;
  }

  // Between these two new verdicts are awaited: drawing all tracks anew would only make them late.
  awaits() {
    clearTimeout(this.resting);
  }
  rests() {
    if (this.overdrawn) this.resting = setTimeout(() => this.drawTracks(), REST_MS);
  }

  // `shown`: index of a track to whether it is to be seen.
  setShown(shown) {
    this.shown = shown;
    this.drawTracks();
  }

  // ---- drawing ----

  fitted() {
    const ratio = Math.min(window.devicePixelRatio || 1, 2);
    for (const canvas of [this.canvas, this.layer]) {
      canvas.width = Math.round(this.stage.clientWidth * ratio);
      canvas.height = Math.round(this.stage.clientHeight * ratio);
    }
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
    ink.ground(this, context);
    if (this.map) ink.map(this, context);
    if (this.tracks && !this.hideTracks) this.#paths(context, this.paths.keys());
    this.paint();
    this.canvas.dataset.drawnMs = (performance.now() - began).toFixed(1);
  }

  // Those of `which` (indices); `over`: they must cover what they were before.
  #paths(context, which, over = false) {
    const groups = {};
    for (const i of which) if (!this.shown || this.shown(i)) (groups[this.codes[i] ?? ""] ??= []).push(this.paths[i]);
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
      context.globalAlpha = over
        ? 1
        : paths.length > 1500
          ? 0.25
          : paths.length > 150
            ? 0.4
            : width === FAINT[2]
              ? 0.8
              : 0.75;
      for (let at = 0; at < paths.length; at += MANY) {
        context.beginPath();
        for (const { points } of paths.slice(at, at + MANY))
          points.forEach(([x, y], k) => (k ? context.lineTo(x, y) : context.moveTo(x, y)));
        context.stroke();
      }
      context.setLineDash([]);
      context.globalAlpha = 1;
      if (end && paths.length < 1500) ink.ends(this, context, paths, end, this.token(colour));
    }
    context.setTransform(1, 0, 0, 1, 0, 0);
  }

  // The layer of tracks as it is, and over it the boxes of this moment and the chosen object's way.
  paint() {
    const { context } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.drawImage(this.layer, 0, 0);
    context.setTransform(this.zoom, 0, 0, this.zoom, 0, 0);
    if (this.tracks && this.object >= 0) this.#chosenPath(context);
    for (const box of this.live ?? this.boxesAt(this.t)) ink.box(this, context, box);
    context.setTransform(1, 0, 0, 1, 0, 0);
  }

  #chosenPath(context) {
    const { first, stop } = this.paths[this.object];
    const down = { foot: 1, centre: 0.5, top: 0 }[this.anchor];
    context.lineJoin = "round"; // a shaking foot would else grow spikes
    for (const [colour, width] of [
      ["panel", 6],
      ["ink", 2.4],
    ]) {
      context.strokeStyle = this.token(colour);
      context.lineWidth = width * this.unit;
      context.beginPath();
      for (let i = first; i < stop; i++) {
        const [x, y] = this.#place(i, down);
        if (i > first) context.lineTo(x, y);
        else context.moveTo(x, y);
      }
      context.stroke();
    }
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
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if (t_s[middle] <= t + 1e-3) low = middle;
        else high = middle - 1;
      }
      if (t - t_s[low] > 1) return; // lost for the moment
      out.push({
        index,
        x: box[4 * low],
        y: box[4 * low + 1],
        w: box[4 * low + 2],
        h: box[4 * low + 3],
        text: `${ids[index]} ${label[low] >= 0 ? classes[label[low]] : "unknown"}`,
        code: this.blind ? null : this.codes[index],
      });
    });
    return out;
  }

  setTime(t) {
    this.t = t;
    this.paint();
  }
  setObject(index) {
    this.object = index;
    this.paint();
  }

  // ---- picking ----

  struck([x, y]) {
    const box = (this.live ?? this.boxesAt(this.t)).findLast(
      (b) => x >= b.x && x <= b.x + b.w && y >= b.y && y <= b.y + b.h,
    );
    const index = box?.index ?? this.#nearest(x, y);
    if (index !== undefined && index >= 0) this.on.pickObject?.(index);
    else {
      this.on.pickObject?.(-1);
      this.on.choose?.(-1);
    }
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

  beneath(region, index, unit) {
    return ink.lines(this, region, unit);
  }

  tagText(region) {
    const number = this.numbered ? `${this.regions.indexOf(region) + 1} ` : "";
    return `${number}${super.tagText(region)}`;
  }
}
