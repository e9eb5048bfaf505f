// The sector with the way of every target, coloured and shaped by what became of it, and who is seen at the moment.
import { capture } from "/static/js/pen.js";
import { el, glyph, short } from "/static/js/svg.js";
import { PLAIN } from "/static/js/units.js";
import { copy } from "/static/tune/bench/dials.js";
import { Strip } from "/static/tune/strip.js";
import { drawLife } from "./life.js";
import { ground } from "/static/signals/sector.js";

const GLYPHS = { hit: "hit", false: "false", ignored: "repeat", none: "none" };

const UNKNOWN = "hatch-unknown"; // its lines as far apart whatever the scale
const NEAR_PX = 12;
const STILL_MPS = 0.25; // what is slower has no words beside it: a fence would cover all
const BEHIND = 0.35; // of its range, that the plan shows behind it
const SIDES = [
  { name: "near_m", label: "near", at: 0, of: 0, unit: "m" },
  { name: "far_m", label: "far", at: 1, of: 0, unit: "m" },
  { name: "left_deg", label: "left", at: 0, of: 1, unit: "°" },
  { name: "right_deg", label: "right", at: 1, of: 1, unit: "°" },
];

export class RadarView extends ground.View {
  ways = [];
  fates = [];
  seen = [];
  target = -1;
  plan = null; // beneath the sector, where the radar is on it
  found = null; // a registration that was tried
  moved = null; // another place that is tried
  carried = null; // where the unit is being dragged to

  // Corners that can be dragged lie above the ways.
  drawRegions() {
    super.drawRegions();
    if (this.plan) this.overlay.prepend(...this.#planParts(this.unit ?? 1));
    this.overlay.append(...this.overlay.querySelectorAll(".handle"));
  }

  // The plan lies beneath; it shows some ground behind the radar too.
  setPlan(plan) {
    this.plan = plan;
    const { rangeM } = this.picture;
    this.picture.low = plan ? -BEHIND * rangeM : 0;
    this.picture.height = rangeM - this.picture.low;
    this.overlay.setAttribute("viewBox", `0 0 ${this.picture.width} ${this.picture.height}`);
    this.fit();
  }

  // What is drawn in the radar's own metres, to the right and ahead, as paths.
  #inMetres(...parts) {
    const { left, low, height } = this.picture;
    return el("g", { transform: `translate(${-left} ${height + low}) scale(1 -1)` }, ...parts);
  }

  #planParts(unit) {
    const drawing = this.plan.stands.map(({ what, path }) => el("path", { class: `plan-${what}`, d: path }));
    const rings = this.plan.rings.map(({ path, name }) => el("path", { class: `class-${name}`, d: path }));
    const words = this.plan.stands
      .filter(({ name, what }) => name && what !== "road")
      .map(({ name, middle }) => [name, this.at(middle)])
      .filter(([, [x, y]]) => x > 0 && y > 0 && x < this.picture.width && y < this.picture.height)
      .map(([name, [x, y]]) => el("text", { class: "plan-word", x, y, "font-size": 11 * unit }, name));
    const inner = this.plan.rings.filter(({ range_m: range }) => range < this.picture.rangeM);
    const classes = inner.map(({ name, range_m: range }) => {
      const [x, y] = this.at([0, range]);
      return el("text", { class: "class-word", x, y: y - 3 * unit, "font-size": 11 * unit }, name);
    });
    return [this.#inMetres(...drawing, ...rings), ...words, ...classes];
  }

  // The ways of the plan that should be seen walked, with what of them runs across the beam.
  #walks() {
    const ways = this.plan.ways.flatMap(({ path, blind, said }) => [
      el("path", { class: "walk-way", d: path }, el("title", {}, said)),
      ...blind.map(([from, to]) => el("path", { class: "walk-blind", d: `M${from.join(" ")}L${to.join(" ")}` })),
    ]);
    return [this.#inMetres(...ways)];
  }

  // Pairs of a registration: where each was seen, and from there to where the plan has it, as the fit turns it back.
  #foundParts(unit) {
    const { pairs, report, walk } = this.found;
    const { rotation_deg: turned, scale, shift_m: shift } = report.parameters;
    const [s, c] = [Math.sin((turned * Math.PI) / 180), Math.cos((turned * Math.PI) / 180)];
    const back = ([x, y]) => {
      const [east, north] = [(x - shift[0]) / scale, (y - shift[1]) / scale];
      return this.at([east * c + north * s, -east * s + north * c]);
    };
    const path = walk.map((place) => back(place).join(",")).join(" ");
    return [
      el("polyline", { class: "walk-track", points: path }),
      ...pairs.map(([x, y, ...onto]) => {
        const [[x1, y1], [x2, y2]] = [this.at([x, y]), back(onto)];
        return el(
          "g",
          { class: "pair" },
          el("line", { x1, y1, x2, y2 }),
          el("circle", { cx: x1, cy: y1, r: 2.5 * unit }),
        );
      }),
    ];
  }

  #movedParts(unit) {
    const { sector, unknown, stands } = this.moved;
    const [x, y] = this.at(this.carried ?? stands);
    const circle = el("circle", { class: "moved-unit", cx: x, cy: y, r: 7 * unit }, el("title", {}, "drag the unit"));
    circle.addEventListener("pointerdown", (event) => this.#carry(event));
    const line = el("line", { class: "unknown-line", x2: 0, y2: 6 * unit, "stroke-width": 2 * unit });
    const size = { width: 6 * unit, height: 6 * unit };
    const hatch = { id: UNKNOWN, ...size, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" };
    return [
      el("pattern", hatch, line),
      this.#inMetres(
        el("path", { class: "moved-unknown", d: unknown, fill: `url(#${UNKNOWN})` }),
        el("path", { class: "moved-sector", d: sector }),
      ),
      circle,
    ];
  }

  // The unit is carried to another place: what it would see there is asked once it is put down.
  #carry(event) {
    event.stopPropagation();
    capture(this.overlay, event);
    const move = () => {
      this.carried = this.pointer;
      this.drawRegions();
    };
    this.overlay.addEventListener("pointermove", move);
    this.overlay.addEventListener(
      "pointerup",
      () => {
        this.overlay.removeEventListener("pointermove", move);
        if (this.carried) this.on.unit?.(this.carried);
      },
      { once: true },
    );
  }

  more(unit) {
    const shown = this.ways.map((way, at) => [way, at, this.fates[at] ?? "none"]);
    shown.sort((one, other) => (one[2] === "none" ? 0 : 1) - (other[2] === "none" ? 0 : 1)); // what raised lies above
    const lines = shown.map(([way, at, fate]) => this.#way(way, at, fate, unit));
    const found = this.found ? this.#foundParts(unit) : [];
    const moved = this.moved ? this.#movedParts(unit) : [];
    const walks = this.plan ? this.#walks() : [];
    return [...lines, ...walks, ...found, ...moved, ...this.seen.map((each) => this.#seen(each, unit))];
  }

  // Pressed where no region is: the target whose way is nearest; pressed there again, the next of those that are near.
  struck(at) {
    const near = this.ways
      .map(({ places }, number) => [Math.min(...places.map(([x, y]) => Math.hypot(x - at[0], y - at[1]))), number])
      .filter(([apart]) => apart <= NEAR_PX * this.unit)
      .sort(([one], [other]) => one - other)
      .map(([, number]) => number);
    if (!near.length) return super.struck(at);
    return this.on.target?.(near[(near.indexOf(this.target) + 1) % near.length]);
  }

  #way({ name, places }, at, fate, unit) {
    const points = places.map((place) => this.at(place).join(",")).join(" ");
    const chosen = at === this.target ? " chosen" : "";
    const group = el("g", { class: `way ${fate}${chosen}`, "data-target": at });
    group.append(
      el("polyline", { class: "grip", points, "stroke-width": 12 * unit }),
      el("polyline", { class: "line", points, "stroke-width": (chosen ? 3 : fate === "none" ? 1 : 1.8) * unit }),
      el("title", {}, name),
    );
    if (fate !== "none") {
      const [x, y] = this.at(places.at(-1));
      group.append(el("g", { class: "end" }, glyph(GLYPHS[fate], x, y, 6 * unit)));
    }
    return group;
  }

  #seen({ name, trail, range_m: away, speed_mps: speed }, unit) {
    const points = trail.map((place) => this.at(place).join(",")).join(" ");
    const [x, y] = this.at(trail.at(-1));
    const flips = x > 0.75 * this.picture.width; // its words have room on the other side
    return el(
      "g",
      { class: "seen" },
      el("polyline", { points, "stroke-width": 3 * unit }),
      el("circle", { cx: x, cy: y, r: 4.5 * unit }),
      Math.abs(speed) < STILL_MPS
        ? []
        : el(
            "text",
            {
              x: x + (flips ? -8 : 8) * unit,
              y: y - 6 * unit,
              "font-size": 12 * unit,
              "text-anchor": flips ? "end" : "start",
            },
            `${name} ${short(away, 3)} m, ${speed > 0 ? "+" : ""}${short(speed, 2)} m/s`,
          ),
    );
  }
}

export const radarGround = { ...ground, View: RadarView, ofTake: async () => "" };

export const radar = ({ data, drawn, shown }) => {
  shown.regions = (page) => page.fetchSides();
  let asked = 0;
  return {
    target: null,
    moment: null,
    waysKnown: false,

    // Drawn for the first time: the ways are asked for, once.
    drawView() {
      drawn.view?.setRegions(copy(this.regions), this.chosenRegion);
      if (drawn.view && !this.asksForWays) this.fetchWays();
    },
    asksForWays: false,
    fetchWays() {
      this.asksForWays = true;
      drawn.view.on.target = (at) => this.chooseTarget(at);
      return this.attemptPart(async () => {
        drawn.view.ways = (await this.post(["ways"])).ways.ways;
        this.groundText = `${drawn.view.ways.length} targets`;
        this.waysKnown = true;
        await this.judgeFirst();
        await this.fetchGround();
      });
    },
    async judgeFirst() {
      if (!this.waysKnown) return;
      const { fates } = await this.post(["fates"]);
      drawn.view.fates = fates;
      drawn.view.drawRegions();
    },
    evidenceRenewed() {
      if (this.tab === "move") this.fetchMoved();
      if (this.tab === "regions") this.fetchSides();
      this.fetchProfiles();
      if (this.target !== null) this.fetchTarget(drawn.view.target);
    },
    async attemptPart(work) {
      try {
        await work();
      } catch (error) {
        this.explain(error);
      }
    },
    showAt(t) {
      const mine = ++asked;
      this.attemptPart(async () => {
        const { moment } = await this.post(["moment"], { also: { at_s: t } });
        if (mine !== asked) return; // the cursor has moved on
        this.moment = moment;
        this.drawLife();
        if (!drawn.view) return;
        drawn.view.seen = moment.seen;
        drawn.view.drawRegions();
      });
    },
    chooseTarget(at) {
      if (this.tab !== "target") this.tab = "target";
      return this.fetchTarget(at);
    },
    fetchTarget(at) {
      return this.attemptPart(async () => {
        const also = { target: at, region: Math.max(this.chosenRegion, 0) };
        this.target = (await this.post(["target"], { also })).target;
        this.$nextTick(() => this.drawLife());
        drawn.view.target = at;
        drawn.view.drawRegions();
      });
    },
    // ---- the sides of the chosen sector ----

    SIDES,
    sides: {},
    get sector() {
      const region = this.regions[this.chosenRegion];
      return region?.shape === "sector" ? region : null;
    },
    sideOf({ name }, what) {
      return this.sides[name]?.[what] ?? "";
    },
    async fetchSides() {
      if (!this.sector) return;
      await this.attemptPart(async () => {
        const asked = { also: { region: this.chosenRegion }, wishes: this.wished, of_note: this.ofNote };
        this.sides = (await this.post(["sides"], asked)).sides;
        this.$nextTick(() => this.drawSides());
      });
    },
    drawSides() {
      for (const svg of this.$root.querySelectorAll("svg[data-side]")) {
        const side = SIDES.find(({ name }) => name === svg.dataset.side);
        if (!this.sector || !this.sides[side.name]) continue;
        svg.strip ??= new Strip(
          svg,
          { move: (value, done) => this.moveSide(side, value, done) },
          { ...PLAIN, unit: side.unit },
        );
        svg.strip.draw(this.sides[side.name], this.sector.points[side.at][side.of]);
      }
    },
    moveSide({ at, of }, value, done) {
      if (!this.dragged) this.remember();
      this.dragged = !done;
      this.sector.points[at][of] = Math.round(value * 10) / 10;
      this.drawView();
      this.drawSides();
      if (done) this.settle();
      else this.judgeSoon();
    },
    drawLife() {
      if (this.target && this.$refs.life) drawLife(this.$refs.life, this.target.life, this.dials, this.moment?.t);
    },
    get lifeKey() {
      const { state, words } = this.target.life;
      return [...new Set(state)].sort().map((at) => ({ css: `s${at}`, word: words[at] }));
    },
    get targetText() {
      const { range_m: away, speed_mps: speed, rcs_dbsm: size } = this.target;
      const where = `from ${short(away[0], 3)} to ${short(away[1], 3)} m away`;
      return `Seen ${where}, ${short(speed[0], 2)} to ${short(speed[1], 2)} m/s, ${short(size, 2)} dBsm.`;
    },
    get momentText() {
      if (!this.moment) return "";
      const count = this.moment.seen.length;
      return count ? `${count} seen now` : "nothing seen now";
    },
  };
};
