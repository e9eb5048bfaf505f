// Regions over a picture: drawn, dragged, typed elsewhere. What lies beneath them is another's: a heat image, a scene.
import { Pen, capture } from "/static/js/pen.js";
import { el, redraw } from "/static/js/svg.js";
import { draggedSector, outlineOf, placeOf, sectorBetween } from "./polar.js";

// `picture`: width, height in the unit of its space: pixels, from the upper left corner. In metres `metric` holds, the
// lower left corner is at `left`, `low`, and what is ahead lies above. `parts`: stage, overlay (elements). `on`:
// callbacks.
export class RegionView {
  constructor(picture, parts, on = {}) {
    Object.assign(this, { picture: { left: 0, low: 0, metric: false, ...picture }, ...parts, on });
    this.regions = [];
    this.chosen = -1;
    this.pen = new Pen(this.overlay, {
      drags: () => ["line", "box", "sector"].includes(this.tool),
      words: (place) => this.#point(place).join(", "),
    });
    this.draft = null;
    this.drag = null; // a region, or a corner of one, under the pointer
    this.readings = {};
    this.beside = 0; // px of the row that something else needs
    this.overlay.setAttribute("viewBox", `0 0 ${picture.width} ${picture.height}`);
    this.listening = new AbortController();
    this.#listen();
    this.observer = new ResizeObserver(() => this.fit());
    this.observer.observe(this.stage.parentElement);
  }

  // Another view takes its place.
  close() {
    this.listening.abort();
    this.pen.close();
    this.observer.disconnect();
  }

  // ---- what a view may add ----

  beneath() {
    return [];
  } // drawn under a region
  more() {
    return [];
  } // drawn over all of them
  pointed() {} // the pointer moved
  fitted() {} // the size changed
  struck() {
    this.on.choose?.(-1);
  } // pressed where no region is
  lineDrawn(line) {
    if (line) this.finish("line", line);
  }

  fit() {
    const box = this.stage.parentElement.getBoundingClientRect();
    const room = box.width - this.beside;
    const factor = Math.max(Math.min(room / this.picture.width, box.height / this.picture.height), 0.1);
    this.stage.style.width = `${Math.floor(this.picture.width * factor)}px`;
    this.stage.style.height = `${Math.floor(this.picture.height * factor)}px`;
    this.unit = 1 / factor; // one screen pixel in picture pixels
    this.drawRegions();
    this.fitted();
  }

  // ---- regions ----

  setRegions(regions, chosen = this.chosen) {
    if (this.drag?.moved) return; // what is being dragged is newer than any answer
    this.regions = regions;
    this.chosen = chosen;
    this.drawRegions();
  }

  #tool = null;
  get tool() {
    return this.#tool;
  }
  set tool(name) {
    this.#tool = name;
    this.pen.offer(name !== null);
  }

  setTool(tool) {
    this.tool = tool;
    this.draft = null;
    this.drawRegions();
  }

  // What of it is drawn.
  outline(region) {
    return region.shape === "sector" ? outlineOf(region.points) : this.corners(region);
  }

  // What of it is dragged.
  corners(region) {
    if (region.shape === "sector") return region.points.map(placeOf);
    if (region.shape !== "box") return region.points;
    const [[x0, y0], [x1, y1]] = region.points;
    return [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ];
  }

  // The greatest coordinates that there are.
  most() {
    const { left, low, width, height } = this.picture;
    return [left + width, low + height];
  }

  // From the space of the regions to where it is drawn.
  at([x, y]) {
    const { left, low, height, metric } = this.picture;
    return metric ? [x - left, height - (y - low)] : [x, y];
  }

  drawRegions() {
    const unit = this.unit ?? 1;
    const parts = [];
    this.regions.forEach((region, index) => {
      const points = this.outline(region).map((corner) => this.at(corner));
      const group = el("g", { "data-region": index, class: `role-${region.role ?? "watch"}` });
      if (region.shape === "spot") {
        const [x, y] = this.picture.metric ? points[0] : points[0].map((along) => Math.floor(along) + 0.5);
        const arm = 9 * unit;
        group.append(
          el("path", { class: "shadow", d: `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}` }),
          el("path", { class: "cross", d: `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}` }),
          el("circle", { class: "shape", cx: x, cy: y, r: 7 * unit, "data-move": index }),
        );
      } else {
        const path = points.map((p) => p.join(",")).join(" ");
        const form = region.shape === "line" ? "polyline" : "polygon";
        group.append(
          ...this.beneath(region, index, unit),
          el(form, { class: "shadow", points: path }),
          el(form, { class: `shape ${index === this.chosen ? "chosen" : ""}`, points: path, "data-move": index }),
        );
        if (index === this.chosen)
          this.corners(region).forEach((place, corner) => {
            const [x, y] = this.at(place);
            group.append(
              el("circle", { class: "handle", cx: x, cy: y, r: 5 * unit, "data-region": index, "data-corner": corner }),
            );
          });
      }
      parts.push(group, this.#tag(region, points, unit, index));
    });
    parts.push(...this.more(unit));
    if (this.draft) parts.push(this.#drawDraft(unit));
    redraw(this.overlay, parts);
    this.overlay.style.cursor = this.tool ? "crosshair" : "default";
  }

  // Only what changes with every frame.
  drawTags() {
    for (const tag of this.overlay.querySelectorAll("[data-tag]")) {
      const text = this.tagText(this.regions[tag.dataset.tag]);
      if (tag.textContent !== text) tag.textContent = text;
    }
  }

  tagText(region) {
    const reading = this.readings[region?.name];
    return `${region?.name ?? ""}${reading === undefined ? "" : `  ${reading}`}`;
  }

  #tag(region, points, unit, index) {
    const text = this.tagText(region);
    const width = (text.length * 5.3 + 14) * unit;
    const x = Math.min(Math.min(...points.map((p) => p[0])), this.picture.width - width);
    const y = Math.max(Math.min(...points.map((p) => p[1])) - 24 * unit, 0);
    return el(
      "g",
      {},
      el("rect", { class: "tag", x, y, width, height: 19 * unit }),
      el(
        "text",
        { class: "tag-text", "data-tag": index, x: x + 7 * unit, y: y + 13.8 * unit, "font-size": 13.5 * unit },
        text,
      ),
    );
  }

  #drawDraft(unit) {
    const points = this.draft.points.map((corner) => this.at(corner));
    const at = this.draft.at && this.at(this.draft.at);
    if (this.draft.shape === "sector") {
      const sector = sectorBetween(this.draft.points[0], this.draft.at);
      const edge = sector ? outlineOf(sector).map((place) => this.at(place).join(",")) : [];
      return el("polygon", { class: "shape", points: edge.join(" ") });
    }
    if (this.draft.shape === "box") {
      const [[x0, y0], [x1, y1]] = [points[0], at];
      return el("rect", {
        class: "shape",
        x: Math.min(x0, x1),
        y: Math.min(y0, y1),
        width: Math.abs(x1 - x0),
        height: Math.abs(y1 - y0),
      });
    }
    const path = [...points, at]
      .filter(Boolean)
      .map((p) => p.join(","))
      .join(" ");
    return el(
      "g",
      {},
      el("polyline", { class: "shadow", points: path }),
      el("polyline", { class: "shape", points: path }),
      points.map(([x, y]) => el("circle", { class: "handle", cx: x, cy: y, r: 4 * unit })),
    );
  }

  // ---- pointer ----

  #point(event) {
    const box = this.overlay.getBoundingClientRect();
    const { left, low, width, height, metric } = this.picture;
    const clip = (share, most) => Math.min(Math.max(share, 0), 1) * most;
    const [x, y] = [
      clip((event.clientX - box.left) / box.width, width),
      clip((event.clientY - box.top) / box.height, height),
    ];
    const steps = metric ? 100 : 2; // to a unit: centimetres, half pixels
    const round = (value) => Math.round(value * steps) / steps;
    return metric ? [round(left + x), round(low + height - y)] : [round(x), round(y)];
  }

  #listen() {
    this.overlay.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const at = this.#point(event);
      if (this.tool === "spot") {
        const most = this.most();
        const pixel = at.map((along, k) => Math.floor(Math.min(along, most[k] - 1)));
        return this.finish("spot", [this.picture.metric ? at : pixel]);
      }
      if (this.tool === "line") {
        this.draft = { shape: "line", points: [at], at };
        capture(this.overlay, event);
        return this.drawRegions();
      }
      if (this.tool === "box" || this.tool === "sector") {
        this.draft = { shape: this.tool, points: [at], at };
        capture(this.overlay, event);
        return this.drawRegions();
      }
      if (this.tool === "polygon") {
        const first = this.draft?.points[0];
        if (first && this.draft.points.length > 2 && Math.hypot(at[0] - first[0], at[1] - first[1]) < 9 * this.unit)
          return this.finish("polygon", this.draft.points);
        this.draft = { shape: "polygon", points: [...(this.draft?.points ?? []), at], at };
        return this.drawRegions();
      }
      const corner = event.target.dataset?.corner;
      const move = event.target.dataset?.move ?? (corner === undefined ? undefined : event.target.dataset.region);
      if (move === undefined) return this.struck(at);
      this.on.choose?.(Number(move));
      this.drag = {
        index: Number(move),
        corner: corner === undefined ? null : Number(corner),
        from: at,
        points: this.regions[Number(move)].points.map((p) => [...p]),
        moved: false,
      };
      capture(this.overlay, event);
    });
    this.overlay.addEventListener("pointermove", (event) => {
      this.pointer = this.#point(event);
      this.pointed();
      if (this.draft) {
        this.draft.at = this.pointer;
        return this.drawRegions();
      }
      if (!this.drag) return;
      this.drag.moved = true;
      this.regions[this.drag.index] = { ...this.regions[this.drag.index], points: this.#dragged(this.pointer) };
      this.drawRegions();
      this.on.moving?.(this.regions);
    });
    this.overlay.addEventListener("pointerup", () => {
      if (this.draft?.shape === "line") {
        const line = [this.draft.points[0], this.draft.at];
        this.draft = null;
        this.tool = null;
        this.on.tool?.(null);
        this.lineDrawn(line[0].join() === line[1].join() ? null : line);
        return this.drawRegions();
      }
      if (this.draft?.shape === "box") {
        const [[x0, y0], [x1, y1]] = [this.draft.points[0], this.draft.at];
        const least = this.picture.metric ? 0.1 : 1;
        if (Math.abs(x1 - x0) >= least && Math.abs(y1 - y0) >= least)
          this.finish("box", [
            [Math.min(x0, x1), Math.min(y0, y1)],
            [Math.max(x0, x1), Math.max(y0, y1)],
          ]);
        else this.setTool(this.tool);
      }
      if (this.draft?.shape === "sector") {
        const sector = sectorBetween(this.draft.points[0], this.draft.at);
        if (sector) this.finish("sector", sector);
        else this.setTool(this.tool);
      }
      const moved = this.drag?.moved;
      this.drag = null;
      if (moved) this.on.change?.(this.regions);
    });
    this.overlay.addEventListener("dblclick", () => {
      if (this.draft?.points.length > 2)
        this.finish(
          "polygon",
          this.draft.points.slice(0, -1).length > 2 ? this.draft.points.slice(0, -1) : this.draft.points,
        );
    });
    this.overlay.addEventListener("pointerleave", () => {
      this.pointer = null;
      this.pointed();
    });
    document.addEventListener(
      "keydown",
      (event) => {
        if (!this.tool || event.target.closest("input, select, textarea")) return;
        if (event.key === "Escape") (this.setTool(null), this.on.tool?.(null));
        if (event.key === "Enter" && this.draft?.points.length > 2) this.finish("polygon", this.draft.points);
      },
      { signal: this.listening.signal },
    );
  }

  #dragged(at) {
    const [dx, dy] = [at[0] - this.drag.from[0], at[1] - this.drag.from[1]];
    const region = this.regions[this.drag.index];
    if (region.shape === "sector") return draggedSector(this.drag.points, this.drag.corner, this.drag.from, at);
    const { left, low } = this.picture;
    const [right, high] = this.most();
    const inside = ([x, y]) => [Math.min(Math.max(x, left), right), Math.min(Math.max(y, low), high)];
    if (this.drag.corner === null) {
      // as a whole, not beyond the picture's edge
      const xs = this.drag.points.map((p) => p[0]);
      const ys = this.drag.points.map((p) => p[1]);
      const most = region.shape === "spot" && !this.picture.metric ? 1 : 0;
      const mx = Math.min(Math.max(dx, left - Math.min(...xs)), right - most - Math.max(...xs));
      const my = Math.min(Math.max(dy, low - Math.min(...ys)), high - most - Math.max(...ys));
      return this.drag.points.map(([x, y]) => [x + mx, y + my]);
    }
    const points = this.drag.points.map((p) => [...p]);
    if (region.shape === "box") {
      const column = this.drag.corner === 1 || this.drag.corner === 2 ? 1 : 0;
      const row = this.drag.corner >= 2 ? 1 : 0;
      const [x, y] = inside(at);
      if (x !== points[1 - column][0]) points[column][0] = x;
      if (y !== points[1 - row][1]) points[row][1] = y;
    } else points[this.drag.corner] = inside(at);
    return points;
  }

  finish(shape, points) {
    this.draft = null;
    this.tool = null;
    this.on.tool?.(null);
    this.on.add?.(shape, points);
  }
}
