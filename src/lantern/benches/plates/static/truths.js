// What the takes say of a reader: how often it is right, how sure it should be, how well it captures, what a year
// would bring.
import { savePng, saveSvg, saveCsv } from "/static/js/export.js";
import { el, redraw, short } from "/static/js/svg.js";
import { many, numberOf } from "/static/js/units.js";

const [WIDE, HIGH, LEFT, FOOT] = [326, 150, 34, 22];
const ROW = 17;
const percent = (x, digits = 0) => `${(100 * x).toFixed(digits)} %`;

export const truths = ({ data }) => ({
  truths: null,
  capture: null,
  year: null,
  forms: [],
  sizes: { character_mm: data.plate.character_mm, plate_mm: data.plate.height_mm },
  yearAsked: { passages_a_year: 40000, wish_a_year: 1 },

  // Asked for what can be seen, once the score has come.
  async evidenceRenewed() {
    try {
      if (this.tab === "truth") {
        ({ truth: this.truths } = await this.post(["truth"]));
        this.$nextTick(() => this.drawTruths());
      }
      if (this.tab === "capture") ({ capture: this.capture } = await this.post(["capture"], { also: this.sizes }));
      if (this.tab === "forms") ({ forms: this.forms } = await this.post(["forms"]));
      if (this.tab === "year") ({ year: this.year } = await this.post(["year"], { also: this.yearAsked }));
    } catch (error) {
      this.explain(error);
    }
  },
  numberIn(text, name, into) {
    const value = numberOf(text);
    if (value === null || !Number.isFinite(value)) {
      this.trouble = `${text}: expected a number`;
      return;
    }
    this[into] = { ...this[into], [name]: value };
    this.trouble = "";
    this.evidenceRenewed();
  },
  setSize(name, text) {
    this.numberIn(text, name, "sizes");
  },
  get focalText() {
    return this.capture?.focal_px ? short(this.capture.focal_px, 5) : "";
  },
  setYear(name, text) {
    this.numberIn(text, name, "yearAsked");
  },

  // ---- how often it is right ----

  get knownText() {
    const { known, passages, agreed, never_read: never } = this.truths;
    if (!known) return "Nobody has said yet what any passage truly was: choose one, type it, Enter.";
    const lacking = never === 1 ? "one vehicle was" : `${never} vehicles were`;
    const only = agreed ? `, ${agreed} of them only agreed to, which count in no rate` : "";
    return `The truth of ${known} of ${passages} passages is known${only}; ${lacking} never read.`;
  },
  get rates() {
    const t = this.truths;
    const line = (name, words, r) => ({
      name,
      words,
      of: r.n ? `${r.k} of ${r.n}` : "none",
      interval: r.low === null ? "" : `${percent(r.low, 1)} to ${percent(r.high, 1)}`,
    });
    return [
      line(
        "captured",
        t.never_read ? `of ${t.passages} read, ${t.never_read} only marked` : "of all vehicles",
        t.capture,
      ),
      line("read right", "of those captured", t.reading),
      line("characters right", "resampled by plate", t.characters),
    ];
  },
  get mendedText() {
    const { mended, error } = this.truths;
    if (error === null) return "";
    const now = `On the mean its confidence is ${percent(error, 1)} off.`;
    if (!mended) return `${now} Too few plates with a known truth, or none misread, to say what would mend it.`;
    const way = (name) => percent(mended.ways[name].error, 1);
    const tempered = `${way("temperature")} with a calibration of ${mended.temperature}`;
    const ways = [`${way("as it is")} as it is`, tempered, `${way("isotonic")} by isotonic regression`];
    return `${now} From ${mended.plates} plates; on those not fitted on: ${ways.join(", ")}.`;
  },
  takeTemperature() {
    this.setDial("calibration", this.truths.mended.temperature, true);
    this.settle();
  },
  alwaysText: (a) => `read as ${a.read} ${a.n} of ${a.of} times: ${a.glyphs}. A second spelling on its list mends it.`,
  lightText: (a) => `read right by ${a.right}, by ${a.wrong} as ${a.read}: ${a.glyphs}`,
  drawTruths() {
    if (this.truths && this.$refs.reliability) {
      this.drawReliability();
      this.drawConfusions();
    }
  },
  drawReliability() {
    const x = (v) => LEFT + v * (WIDE - LEFT - 8);
    const y = (v) => HIGH - FOOT - v * (HIGH - FOOT - 8);
    const most = Math.max(...this.truths.bins.map((b) => b.n), 1);
    const parts = [0, 0.25, 0.5, 0.75, 1].flatMap((v) => [
      el("line", { class: "grid", x1: x(0), x2: x(1), y1: y(v), y2: y(v) }),
      el("text", { class: "tick", x: LEFT - 4, y: y(v) + 4, "text-anchor": "end" }, String(100 * v)),
      el("text", { class: "tick", x: x(v), y: HIGH - 7, "text-anchor": "middle" }, String(100 * v)),
    ]);
    parts.push(el("line", { class: "even", x1: x(0), y1: y(0), x2: x(1), y2: y(1) }));
    for (const b of this.truths.bins)
      parts.push(
        el("rect", {
          class: "many",
          x: x(b.low) + 1,
          y: y(0) - 18 * Math.sqrt(b.n / most),
          width: x(b.high) - x(b.low) - 2,
          height: 18 * Math.sqrt(b.n / most),
        }),
      );
    parts.push(
      el("path", {
        class: "curve",
        d: this.truths.bins.map((b, i) => `${i ? "L" : "M"}${x(b.sure).toFixed(1)} ${y(b.right).toFixed(1)}`).join(""),
      }),
    );
    for (const b of this.truths.bins)
      parts.push(
        el(
          "circle",
          { class: "dot", cx: x(b.sure), cy: y(b.right), r: 3.2 },
          el("title", {}, `${b.n} characters, ${percent(b.sure)} sure, ${percent(b.right)} right`),
        ),
      );
    parts.push(
      el("text", { class: "axis-name", x: x(1), y: y(0) - 5, "text-anchor": "end" }, "sure, %"),
      el("text", { class: "axis-name", x: x(0) + 4, y: y(1) + 11 }, "right, %"),
    );
    redraw(this.$refs.reliability, parts);
  },
  // Rows: what it truly was; columns: what was read. Only glyphs that were ever confused.
  drawConfusions() {
    const pairs = this.truths.confusions;
    const names = (key) => [...new Set(pairs.map((p) => p[key]))].sort();
    const [truly, read] = [names("truth"), names("read")];
    const most = Math.max(...pairs.map((p) => p.n), 1);
    const cell = Math.min(ROW, (WIDE - 30) / Math.max(read.length, 1));
    const [x, y] = [(glyph) => 24 + read.indexOf(glyph) * cell, (glyph) => 20 + truly.indexOf(glyph) * ROW];
    this.$refs.confusion.setAttribute("viewBox", `0 0 ${WIDE} ${24 + Math.max(truly.length, 1) * ROW}`);
    const parts = [];
    read.forEach((g) =>
      parts.push(el("text", { class: "glyph", x: x(g) + cell / 2, y: 14, "text-anchor": "middle" }, g)),
    );
    truly.forEach((g) =>
      parts.push(
        el("text", { class: "glyph", x: 6, y: y(g) + 13 }, g),
        el("line", { class: "rule", x1: 22, x2: 24 + read.length * cell, y1: y(g), y2: y(g) }),
      ),
    );
    for (const p of pairs)
      parts.push(
        el(
          "rect",
          {
            class: "times",
            x: x(p.read) + 1,
            y: y(p.truth) + 1,
            width: cell - 2,
            height: ROW - 2,
            "fill-opacity": (0.2 + 0.8 * (p.n / most)).toFixed(2),
          },
          el("title", {}, `${p.truth} read as ${p.read}: ${p.n} of ${p.of}`),
        ),
        el(
          "text",
          { class: "count", x: x(p.read) + cell / 2, y: y(p.truth) + 13, "text-anchor": "middle" },
          String(p.n),
        ),
      );
    redraw(this.$refs.confusion, parts);
  },
  exportReliability(as) {
    if (as === "csv")
      return saveCsv(
        [["low", "high", "n", "sure", "right"], ...this.truths.bins.map((b) => [b.low, b.high, b.n, b.sure, b.right])],
        "reliability",
      );
    return (as === "svg" ? saveSvg : savePng)(this.$refs.reliability, "reliability");
  },

  // ---- forms of plates ----

  get flagged() {
    return this.forms.filter((f) => f.used).flatMap((f) => f.flagged);
  },
  formText(f) {
    const fits = `${f.fits} of ${f.passages} texts fit`;
    if (!f.changed) return `${fits}; it changes none`;
    return `${fits}; it changes ${f.changed}, where the truth is known mends ${f.mended} and breaks ${f.broken}`;
  },
  useForm(form) {
    const held = this.dials.syntaxes ?? [];
    const next = form.used
      ? held.filter((t) => !form.templates.includes(t))
      : [...new Set([...held, ...form.templates])];
    this.setChoice("syntaxes", next);
  },

  // ---- how well it captures ----

  get captures() {
    const rows = [];
    const figures = [
      ["character_px", "character, px", 3],
      ["reads", "reads a passage", 3],
      ["angle_deg", "angle, °", 3],
      ["growth_percent_s", "grows, % a second", 3],
    ];
    if (this.capture && this.capture.focal_px !== null) figures.push(["speed_kmh", "speed, km/h", 3]);
    for (const [name, by] of Object.entries(this.capture?.by ?? {})) {
      rows.push({
        key: name,
        head: true,
        name: name === "all" ? "all of it" : name,
        least: "",
        middle: this.waysText(by.ways),
      });
      for (const [key, words, digits] of figures) {
        const s = by[key];
        rows.push({
          key: `${name} ${key}`,
          head: false,
          name: words,
          least: s ? short(s.least, digits) : "none",
          middle: s ? [s.low, s.middle, s.high].map((v) => short(v, digits)).join(" / ") : "",
        });
      }
    }
    return rows;
  },
  waysText: (ways) =>
    ["towards", "away", "unknown"]
      .filter((way) => ways[way])
      .map((way) => `${ways[way]} ${way === "unknown" ? "either way" : way}`)
      .join(", "),

  // ---- a year ----

  get countedText() {
    const y = this.year.year;
    return y ? `${y.seen} false in ${y.passages} of strangers` : "no stranger passed";
  },
  get yearText() {
    const y = this.year.year;
    if (!y) return "unknown";
    return y.seen ? `${short(y.a_year, 3)} (${short(y.low, 2)} to ${short(y.high, 3)})` : `at most ${short(y.high, 3)}`;
  },
  get floorText() {
    const f = this.year.floor;
    return f ? `${short(f.a_year, 2)} a year, ${f.a_vehicle.toExponential(1)} a vehicle` : "not known";
  },
  get floorHint() {
    const { floor, entries, templates } = this.year;
    if (floor) {
      const by = `${many(entries, "entry", "entries")}, ${short(floor.mean_ball, 2)} each before the runner-up`;
      const open = `${floor.opening} of ${floor.keys.toExponential(2)} possible plates`;
      return `${open} would open: ${by}. Real plates cluster, and reads err: no less than this.`;
    }
    return templates
      ? "No floor is told at this tolerance: other lengths and letters come within it."
      : "Name the forms that plates have (the dial Syntaxes) for a floor.";
  },
  get neededText() {
    const { passages_needed: passages, hours_needed: hours, wish_a_year: wish } = this.year;
    const by = this.year.tolerance_fits;
    const fits = by === null || by === undefined ? "" : ` By the floor alone a tolerance of ${by} would do.`;
    const long = hours === null ? "" : `, some ${short(hours, 3)} h of takes like these`;
    const needed = `${many(Math.ceil(passages), "passage")} of strangers without a false opening${long}`;
    return `To show at most ${short(wish, 3)} a year: ${needed}.${fits}`;
  },
});
