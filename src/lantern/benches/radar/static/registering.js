// The radar registered to the plan: by a walk from a file, or by points where somebody stood; residuals on the ground.
import { ask } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";

const STOOD_S = 3; // to either side of the cursor, that somebody stood there
const emptyPoint = () => ({ x_m: "", y_m: "", from_s: "", until_s: "" });

export const registering = ({ data, drawn }) => ({
  way: "walk",
  model: "rigid",
  walkFile: null,
  errorM: "3",
  clocks: "",
  standing: [],
  found: null, // what a try came to
  registering: false,

  pickWalk(files) {
    this.walkFile = files[0] ?? null;
    this.found = null;
  },
  addStanding() {
    const t = this.moment?.t ?? 0;
    const from = Math.max(t - STOOD_S, 0);
    this.standing = [...this.standing, { ...emptyPoint(), from_s: short(from, 4), until_s: short(t + STOOD_S, 4) }];
  },
  dropStanding(at) {
    this.standing = this.standing.filter((_, i) => i !== at);
  },
  typeStanding(at, key, text) {
    this.standing = this.standing.map((point, i) => (i === at ? { ...point, [key]: text } : point));
  },
  async register() {
    this.registering = true;
    await this.attemptPart(async () => {
      this.found = this.way === "walk" ? await this.askWalk() : await this.askPoints();
      this.trouble = "";
      this.showFound();
    });
    this.registering = false;
  },
  askWalk() {
    const asked = new URLSearchParams({ take: data.take.id, name: this.walkFile.name, model: this.model });
    if (numberOf(this.errorM)) asked.set("error_m", numberOf(this.errorM));
    if (this.clocks.trim()) asked.set("shift_s", numberOf(this.clocks));
    return ask("POST", `${this.ofDevice}/walk?${asked}`, this.walkFile, { raw: true });
  },
  askPoints() {
    const points = this.standing.map((point) =>
      Object.fromEntries(Object.entries(point).map(([key, text]) => [key, numberOf(text)])),
    );
    return ask("POST", `${this.ofDevice}/points?take=${data.take.id}`, { model: this.model, points });
  },
  get ofDevice() {
    return `/devices/${this.ground.device}/registration`;
  },
  showFound() {
    if (!drawn.view) return;
    drawn.view.found = this.tab === "move" ? this.found : null;
    drawn.view.drawRegions();
  },
  get foundText() {
    const { report, pairs, target } = this.found;
    const worst = report.leave_one_out.filter((each) => each !== null);
    const left = worst.length ? `, ${short(Math.max(...worst), 2)} m at most with one left out` : "";
    return `${pairs.length} pairs of ${target}: ${short(report.rms, 2)} m in the mean${left}.`;
  },
  get clocksText() {
    const { shift_s: shift, shift_interval_s: interval } = this.found;
    if (!interval) return "";
    const [low, high] = interval.map((end) => short(end, 2));
    return `The walk's clock is ${short(shift, 2)} s ahead (${low} to ${high} s, 95 %).`;
  },
  get placeText() {
    const { x_m: x, y_m: y, azimuth_deg: azimuth } = this.found.place;
    const [far, turned] = this.found.apart;
    const where = `It stands at x ${short(x, 5)}, y ${short(y, 5)} and looks to ${short(azimuth, 4)}°`;
    return `${where}: ${short(far, 2)} m and ${short(turned, 2)}° from where the plan has it.`;
  },
  get foundWarnings() {
    return this.found.report.warnings;
  },
  keepFound() {
    return this.attemptPart(async () => {
      const { model, pairs, t_s: times, target, shift_s: shift } = this.found;
      const document = { model, pairs, t_s: times, target, take: data.take.name, shift_s: shift };
      await ask("PUT", this.ofDevice, document);
      await this.fetchGround();
    });
  },
  takeFound() {
    return this.attemptPart(async () => {
      await this.keepFound();
      this.place = { ...this.found.place };
      await this.takePlace();
    });
  },
});
