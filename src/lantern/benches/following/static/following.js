// The plan with everybody's way, by how long of it was in the picture, and the head at the moment of the cursor.
import { clock, el, glyph, short } from "/static/js/svg.js";

import { ground } from "/static/signals/onplan.js";
import { drawPicture } from "/static/steer/picture.js";

// Each fate has a colour and a shape.
const FATES = [
  { code: "kept", words: "9 tenths seen", glyph: "hit" },
  { code: "half", words: "half", glyph: "ignored" },
  { code: "little", words: "less", glyph: "miss" },
  { code: "unseen", words: "never", glyph: "false" },
];
const NEAR_PX = 12;
const MARGIN = 0.12; // of what is looked at, about it
const LEAST_M = 20;

class FollowView extends ground.View {
  ways = [];
  fates = [];
  moment = null;
  target = -1;

  more(unit) {
    const lines = this.ways.map((way, at) => this.#way(way, at, this.fates[at] ?? "unseen", unit));
    return [...lines, ...(this.moment ? this.#moment(unit) : [])];
  }

  // Only the part of the plan that they went over, and the head.
  lookNear(near) {
    const { whole } = this.picture;
    const places = [...this.ways.flatMap(({ places }) => places), ...(this.moment ? [this.moment.head] : [])];
    let box = whole;
    if (near && places.length) {
      const [xs, ys] = [0, 1].map((axis) => places.map((place) => place[axis]));
      let [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
      const room = MARGIN * Math.max(x1 - x0, y1 - y0, LEAST_M);
      [x0, x1, y0, y1] = [x0 - room, x1 + room, y0 - room, y1 + room];
      const ratio = whole.width / whole.height;
      const width = Math.max(x1 - x0, (y1 - y0) * ratio);
      box = { left: (x0 + x1 - width) / 2, low: (y0 + y1 - width / ratio) / 2, width, height: width / ratio };
    }
    Object.assign(this.picture, box);
    this.overlay.setAttribute("viewBox", `0 0 ${this.picture.width} ${this.picture.height}`);
    this.fit();
  }

  #way({ name, places }, at, fate, unit) {
    const points = places.map((place) => this.at(place).join(",")).join(" ");
    const chosen = at === this.target ? " chosen" : "";
    const group = el("g", { class: `way ${fate}${chosen}`, "data-target": at });
    group.append(
      el("polyline", { class: "grip", points, "stroke-width": 12 * unit }),
      el("polyline", { class: "line", points, "stroke-width": (chosen ? 3 : 1.6) * unit }),
      el("title", {}, name),
    );
    const [x, y] = this.at(places.at(-1));
    group.append(el("g", { class: "end" }, glyph(FATES.find(({ code }) => code === fate).glyph, x, y, 4 * unit)));
    return group;
  }

  #moment(unit) {
    const { head, wedge, seen } = this.moment;
    const [x, y] = this.at(head);
    const outline = wedge.map((place) => this.at(place).join(",")).join(" ");
    return [
      el("polygon", { class: "wedge", points: outline }),
      ...seen.map((each) => this.#seen(each, unit)),
      el("circle", { class: "head", cx: x, cy: y, r: 5 * unit }),
    ];
  }

  #seen({ name, trail, inside, followed, height_px: high }, unit) {
    const points = trail.map((place) => this.at(place).join(",")).join(" ");
    const [x, y] = this.at(trail.at(-1));
    const words = inside ? `${name}, ${short(high, 3)} px` : name;
    return el(
      "g",
      { class: `seen ${inside ? "inside" : "outside"}` },
      el("polyline", { points, "stroke-width": 2.4 * unit }),
      el("circle", { cx: x, cy: y, r: (followed ? 6 : 4) * unit }),
      el("text", { x: x + 8 * unit, y: y - 6 * unit, "font-size": 12 * unit }, words),
    );
  }

  struck(at) {
    const near = this.ways
      .map(({ places }, number) => [Math.min(...places.map(([x, y]) => Math.hypot(x - at[0], y - at[1]))), number])
      .filter(([apart]) => apart <= NEAR_PX * this.unit)
      .sort(([one], [other]) => one - other)
      .map(([, number]) => number);
    if (!near.length) return super.struck(at);
    return this.on.target?.(near[(near.indexOf(this.target) + 1) % near.length]);
  }
}

export const planGround = {
  ...ground,
  View: FollowView,
  async extent(thing) {
    const extent = await ground.extent(thing);
    const { left, low, width, height } = extent;
    return { ...extent, whole: { left, low, width, height } };
  },
  ofTake: async () => "",
};

export const following = ({ data, drawn }) => {
  let asked = 0;
  return {
    FATES,
    target: null,
    moment: null,
    shownPicture: true,
    near: true,
    waysKnown: false,
    asksForWays: false,

    drawView() {
      drawn.view?.setRegions(
        this.regions.map((region) => ({ ...region })),
        this.chosenRegion,
      );
      if (drawn.view && !this.asksForWays) this.fetchWays();
    },
    fetchWays() {
      this.asksForWays = true;
      drawn.view.on.target = (at) => this.chooseTarget(at);
      return this.attemptPart(async () => {
        drawn.view.ways = (await this.post(["ways"])).ways;
        this.groundText = `${drawn.view.ways.length} targets`;
        this.waysKnown = true;
        drawn.view.lookNear(this.near);
        await this.judgeFirst();
        this.showAt(this.t);
      });
    },
    async judgeFirst() {
      if (!this.waysKnown) return;
      drawn.view.fates = (await this.post(["fates"])).fates;
      drawn.view.drawRegions();
    },
    evidenceRenewed() {
      if (this.target) this.fetchTarget(drawn.view.target);
      if (this.waysKnown) this.showAt(this.t);
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
        if (mine !== asked || !drawn.view) return; // the cursor has moved on
        const first = drawn.view.moment === null;
        this.moment = moment;
        drawn.view.moment = moment;
        if (first) drawn.view.lookNear(this.near);
        else drawn.view.drawRegions();
        this.drawSeen();
      });
    },
    drawSeen() {
      if (this.moment && this.shownPicture) drawPicture(this.$refs.seen, this.moment.picture);
    },
    togglePicture() {
      this.shownPicture = !this.shownPicture;
      this.$nextTick(() => this.drawSeen());
    },
    toggleNear() {
      this.near = !this.near;
      drawn.view?.lookNear(this.near);
    },
    // In that corner of the plan which is farthest from the head, and from whoever is there.
    get pictureSide() {
      if (!this.moment || !drawn.view) return "";
      const { left, low, width, height } = drawn.view.picture;
      const kept = [this.moment.head, ...drawn.view.ways.flatMap(({ places }) => [places[0], places.at(-1)])];
      const corners = [
        ["west south", left, low],
        ["east south", left + width, low],
        ["west north", left, low + height],
        ["east north", left + width, low + height],
      ];
      const room = ([, x, y]) => Math.min(...kept.map(([px, py]) => Math.hypot((px - x) / width, (py - y) / height)));
      return corners.reduce((best, corner) => (room(corner) > room(best) ? corner : best))[0];
    },
    get aimText() {
      if (!this.moment) return "";
      const [pan, tilt, zoom] = this.moment.aim;
      const whom = this.moment.follows === null ? "follows nobody" : `follows ${this.moment.follows}`;
      const wide = `${short(this.moment.field_deg, 3)}° wide`;
      return `${whom}: pan ${short(pan, 4)}°, tilt ${short(tilt, 3)}°, ${short(zoom, 3)}x, ${wide}`;
    },
    chooseTarget(at) {
      this.tab = "target";
      return this.fetchTarget(at);
    },
    fetchTarget(at) {
      return this.attemptPart(async () => {
        this.target = (await this.post(["target"], { also: { target: at } })).target;
        drawn.view.target = at;
        drawn.view.drawRegions();
      });
    },
    atText(t) {
      return clock(data.take, t, true);
    },
  };
};
