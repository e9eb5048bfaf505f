// The radar where it stands: the plan beneath its sector, and another place tried for it.
import { ask } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";

const KEYS = ["x_m", "y_m", "azimuth_deg"];

export const placed = ({ data, drawn, shown, studied }) => {
  let asked = 0;
  shown.move = (page) => {
    page.fetchMoved();
    page.showFound();
  };
  studied.least = (page) => page.leastPlace && page.tryPlace(page.leastPlace);
  return {
    ground: null,
    place: {},
    moved: null,
    onPlan: true,

    fetchGround() {
      return this.attemptPart(async () => {
        const mine = ++asked;
        const { ground } = await this.post(["ground"]);
        if (mine !== asked) return; // what was asked for since knows more
        this.ground = ground;
        if (!ground.mounted) return;
        if (this.place.x_m === undefined) this.place = { ...this.ground.mount }; // what is tried is kept
        drawn.view.setPlan(this.onPlan ? this.ground : null);
        drawn.view.on.unit = (at) => this.carryTo(at);
        this.showMoved();
      });
    },
    // Dragged on the view: the server says which place of the plan that is.
    carryTo([right, ahead]) {
      return this.attemptPart(async () => {
        const { carried } = await this.post(["carried"], { also: { right_m: right, ahead_m: ahead } });
        await this.tryPlace({ ...this.place, ...carried });
        drawn.view.carried = null;
        this.showMoved();
      });
    },
    togglePlan() {
      this.onPlan = !this.onPlan;
      drawn.view.setPlan(this.onPlan && this.ground?.mounted ? this.ground : null);
    },
    get standsElsewhere() {
      const { then, mount } = this.ground;
      return KEYS.some((key) => then[key] !== mount[key]);
    },
    // Promise and measurement, side by side.
    get reachText() {
      const { promised_m: promised, shown_m: measured, person_m: person } = this.ground.reach;
      const told = `Promised: a person is seen to ${short(promised, 3)} m, with nothing before it.`;
      const seen =
        person === null ? "nothing of a person's size" : `things of a person's size to ${short(person, 3)} m`;
      const beyond = measured > promised ? `, all in all as a reach of ${short(measured, 3)} m would` : "";
      return `${told} Measured on this take: ${seen}${beyond}.`;
    },
    get isTried() {
      return KEYS.some((key) => this.place[key] !== this.ground.then[key]);
    },
    get isMoved() {
      return KEYS.some((key) => this.place[key] !== this.ground.mount[key]);
    },
    typePlace(key, text) {
      const value = numberOf(text);
      if (value === null || !Number.isFinite(value)) {
        this.trouble = `${text || "empty"}: expected a number`;
        return;
      }
      this.tryPlace({ ...this.place, [key]: value });
    },
    tryPlace(place) {
      this.place = { ...place };
      return this.fetchMoved();
    },
    async fetchMoved() {
      if (!this.ground?.mounted) return;
      await this.attemptPart(async () => {
        this.moved = (await this.post(["moved"], { also: this.place })).moved;
        this.trouble = "";
        this.showMoved();
      });
    },
    showMoved() {
      if (!drawn.view) return;
      drawn.view.moved = this.tab === "move" ? this.moved : null;
      drawn.view.drawRegions();
    },
    movedLine(which) {
      return this.moved ? this.moved[which].line : "";
    },
    get movedSaid() {
      return this.moved ? this.moved.said : [];
    },
    get least() {
      return this.isDone("least") ? this.study("least").result : null;
    },
    get leastText() {
      return this.least && this.least.take === data.take.id ? `${this.least.turn} ${this.least.move}` : "";
    },
    get leastPlace() {
      return this.leastText ? this.least.place : null;
    },
    async takePlace() {
      await this.attemptPart(async () => {
        const address = `/plan/devices/${this.ground.device}`;
        const mount = { ...this.ground.whole, ...this.place };
        await ask("PUT", address, { mount });
        await this.fetchGround();
        await this.fetchMoved();
      });
    },
  };
};
