// Seeing: the heat image and its ways of being looked at.
import { address, latest } from "/static/js/http.js";
import { saveCanvas, saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { HeatView, fetchFrame } from "/static/signals/heat/view.js";
import { drawFigure, histogramOf, profileOf } from "./histogram.js";
import { PALETTES } from "/static/signals/heat/palettes.js";
import { clock, short } from "/static/js/svg.js";
import { fixed, numberOf, read, show, typed, width } from "/static/js/units.js";
import { copy } from "/static/tune/bench/dials.js";

export const seeing = ({ data, infos, drawn, keys }) => {
  Object.assign(keys, {
    h: (page) => page.setFigure("histogram"),
    l: (page) => page.setFigure("profile"),
    d: (page) => page.toggleDifference(),
  });
  return {
    palettes: PALETTES,
    palette: "ember",
    low: 0,
    high: 60,
    scaleMode: "locked",
    isothermText: "",
    against: null, // time of the frame that the difference is to
    figure: "", // histogram or profile
    lineText: "",
    readout: "",
    shownFrame: -1,
    shownPictures: 0,

    get scaleText() {
      if (this.against !== null) {
        const reach = fixed(width(data.scale.level), drawn.view?.reach ?? 1, 0);
        return `difference to ${clock(data.take, this.against, true)}, scale ±${reach}`;
      }
      const how = { locked: "locked", frame: "follows each frame", region: "follows the chosen region" }[
        this.scaleMode
      ];
      return `scale ${short(show(data.scale.level, this.low))} to ${fixed(data.scale.level, this.high, 0)}, ${how}`;
    },
    get frameText() {
      return `${this.shownFrame + 1} of ${data.take.samples}`;
    },
    get unitText() {
      return data.scale.level.unit;
    },
    lowText() {
      return typed(data.scale.level, this.low);
    },
    highText() {
      return typed(data.scale.level, this.high);
    },

    startView() {
      this.showFrame = latest((index) => this.loadFrame(index));
      if (!data.take.framed) return;
      const parts = {
        stage: this.$refs.stage,
        canvas: this.$refs.canvas,
        overlay: this.$refs.overlay,
        scale: this.$refs.scale,
      };
      drawn.view = new HeatView(
        data.take,
        parts,
        {
          read: (at) => {
            this.readout = at ? `x ${at.x}  y ${at.y}   ${fixed(data.scale.level, at.c)}` : "";
          },
          choose: (index) => this.chooseRegion(index),
          change: (changed) => {
            this.remember();
            this.regions = copy(changed);
            this.changedRegions();
          },
          add: (shape, points) => this.addRegion(shape, points),
          tool: (tool) => {
            this.tool = tool;
          },
          line: (line) => {
            this.figure = line ? "profile" : "";
            this.lineChanged();
          },
        },
        data.scale.level,
      );
    },
    drawView() {
      if (!drawn.view) return;
      drawn.view.level = this.judged.line?.dial === "threshold_c" ? this.dials.threshold_c : null;
      drawn.view.spotPx = this.spot ? this.spot.measuring_mm / this.spot.pixel_mm : 0;
      drawn.view.readings = this.readingsNow();
      drawn.view.setRegions(copy(this.regions), this.chosenRegion);
      drawn.view.drawScale();
    },
    readingsNow() {
      const out = {};
      for (const [name, r] of Object.entries(drawn.axis?.data.readings ?? {})) {
        let at = r.t_s.findIndex((t) => t > this.t);
        at = at < 0 ? r.t_s.length - 1 : Math.max(at - 1, 0);
        const word = r.unit === "K" ? "beyond by" : (this.dials.statistic ?? "");
        out[name] = `${word} ${fixed(drawn.axis.quantity, r.x[at])}`.trim();
      }
      return out;
    },

    // ---- frames ----

    showAt(t) {
      this.showFrame(Math.round(t / data.take.intervalS));
    },
    async loadFrame(index) {
      if (!drawn.view) return;
      const at = Math.min(index, data.take.samples - 1);
      try {
        const pixels = await fetchFrame(address(`/takes/${data.take.id}/frames/${at}`));
        const first = drawn.view.pixels === null;
        drawn.view.show(pixels);
        this.shownFrame = at;
        this.shownPictures += 1;
        if (first || this.scaleMode !== "locked") this.fitScale();
        drawn.view.readings = this.readingsNow();
        drawn.view.drawTags();
        this.drawFigure();
      } catch (error) {
        this.trouble = `This frame could not be loaded: ${error.message}`;
      }
    },
    // ---- ways of looking ----

    fitScale() {
      const region = this.scaleMode === "region" ? drawn.pixels[this.regions[this.chosenRegion]?.name] : null;
      const [low, high] = drawn.view.range(region?.length ? region : null);
      [this.low, this.high] = [low, high <= low ? low + 1 : high];
      drawn.view.setScale(this.low, this.high);
    },
    setScale(which, text) {
      const typedValue = numberOf(text);
      const value = typedValue === null ? NaN : read(data.scale.level, typedValue);
      if (Number.isFinite(value) && (which === "low" ? value < this.high : value > this.low)) {
        this[which] = value;
        this.scaleMode = "locked";
        drawn.view.setScale(this.low, this.high);
      }
      this.$refs[which].value = typed(data.scale.level, this[which]);
    },
    setScaleMode(mode) {
      this.scaleMode = mode;
      if (mode !== "locked") this.fitScale();
    },
    setPalette(name) {
      this.palette = name;
      drawn.view.setPalette(name);
    },
    setIsotherm(text) {
      const typedValue = numberOf(text);
      const value = typedValue === null ? null : read(data.scale.level, typedValue);
      if (value !== null && !Number.isFinite(value)) {
        this.trouble = `Isotherm ${text}: expected a temperature, or empty`;
        return;
      }
      drawn.view.isotherm = value;
      this.isothermText = text;
      drawn.view.paint();
      drawn.view.drawScale();
    },
    toggleDifference() {
      drawn.view.against = this.against === null ? drawn.view.pixels : null;
      drawn.view.paint();
      drawn.view.drawScale();
      this.against = this.against === null ? this.t : null;
    },
    setFigure(name) {
      this.figure = this.figure === name ? "" : name;
      if (this.figure === "profile" && !drawn.view.line) this.setTool("line");
      if (this.figure !== "profile" && drawn.view.line) {
        drawn.view.line = null;
        drawn.view.drawRegions();
      }
      this.drawFigure();
    },
    // Typed ends, for whoever has no pointer: x,y of both in pixels.
    typeLine(text) {
      const ends = text
        .trim()
        .split(/\s+/)
        .map((pair) => pair.split(",").map(Number));
      const within = ([x, y]) => x >= 0 && y >= 0 && x <= data.take.width && y <= data.take.height;
      if (ends.length !== 2 || ends.some((p) => p.length !== 2 || !within(p))) {
        this.trouble = `Profile ${text}: expected two ends within the picture, such as 10,20 80,60`;
        return;
      }
      this.trouble = "";
      this.setTool(null);
      drawn.view.line = ends;
      drawn.view.drawRegions();
      this.lineChanged();
    },
    lineChanged() {
      this.lineText = (drawn.view.line ?? []).map((p) => p.join(",")).join(" ");
      this.drawFigure();
    },
    figurePoints() {
      if (this.figure === "profile") return drawn.view.line ? profileOf(drawn.view, drawn.view.line) : [];
      return histogramOf(drawn.view, drawn.pixels[this.regions[this.chosenRegion]?.name]);
    },
    drawFigure() {
      if (!this.figure || !drawn.view?.pixels) return;
      const points = this.figurePoints();
      if (points.length)
        this.$nextTick(() =>
          drawFigure(this.$refs.figure, points, {
            bars: this.figure === "histogram",
            quantity: data.scale.level,
            level: drawn.view.level,
          }),
        );
    },

    // ---- files ----

    exportPicture() {
      saveCanvas(this.$refs.canvas, `frame-${this.shownFrame}`);
    },
    exportFigure(as) {
      if (as === "csv")
        saveCsv(
          [
            this.figure === "profile" ? ["pixel", data.scale.level.unit] : [data.scale.level.unit, "pixels"],
            ...this.figurePoints().map(([x, y]) =>
              this.figure === "profile" ? [x, show(data.scale.level, y)] : [show(data.scale.level, x), y],
            ),
          ],
          this.figure,
        );
      else (as === "svg" ? saveSvg : savePng)(this.$refs.figure, this.figure);
    },
    dialUnit(name) {
      return infos[name].shown.unit;
    },
  };
};
