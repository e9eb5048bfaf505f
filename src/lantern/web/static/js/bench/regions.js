// Regions: drawn, typed, given a part to play; emissivity by material, with what an error of it would do.
import { ask } from "../http.js";
import { fixed, read, typed, width } from "../units.js";
import { copy } from "./dials.js";

export const regions = ({ data, drawn }) => ({
  regions: copy(data.detector.regions),
  chosenRegion: data.detector.regions.length === 1 ? 0 : -1,
  tool: null,
  materials: data.materials,
  fan: null,
  spot: null,

  setTool(tool) { this.tool = this.tool === tool ? null : tool; drawn.view.setTool(this.tool); },
  addRegion(shape, points) {
    this.remember();
    let number = this.regions.length + 1;
    while (this.regions.some((r) => r.name === `${shape} ${number}`)) number += 1;
    this.regions = [...this.regions, { name: `${shape} ${number}`, shape, points, emissivity: null, reflected_c: null, role: "watch", target_mm: null }];
    this.chosenRegion = this.regions.length - 1;
    this.tab = "regions";
    this.changedRegions();
  },
  removeRegion(index) {
    if (this.regions.length === 1) { this.trouble = "A detector needs a region: draw another one first."; return; }
    this.remember();
    this.regions = this.regions.filter((_, i) => i !== index);
    this.chosenRegion = -1;
    this.changedRegions();
  },
  chooseRegion(index) { this.chosenRegion = index; this.drawView(); this.drawFigure(); },
  setRegion(index, change) { this.remember(); this.regions[index] = { ...this.regions[index], ...change }; this.changedRegions(); },
  renameRegion(index, name) { if (name.trim() && name !== this.regions[index].name) this.setRegion(index, { name: name.trim() }); },
  roleOf(region) { return region.role ?? "watch"; },
  typePoints(index, text) {
    const points = text.trim().split(/\s+/).map((pair) => pair.split(",").map(Number));
    if (points.some((p) => p.length !== 2 || !p.every(Number.isFinite))) { this.trouble = `Points ${text}: expected x,y pairs with spaces between, such as 10,20 80,20 80,60`; return; }
    this.setRegion(index, { points });
  },
  pointsText(region) { return region.points.map((p) => p.join(",")).join(" "); },
  optionText(region, key) { return region[key] === null || region[key] === undefined ? "" : key === "reflected_c" ? typed(data.scale.level, region[key]) : region[key]; },
  // a number or empty; the server refuses what makes no sense and says what would
  typeRegion(index, key, text) {
    const value = text.trim() === "" ? null : Number(text.replace(",", "."));
    if (value !== null && !Number.isFinite(value)) { this.trouble = `${key} ${text}: expected a number, or empty`; return; }
    this.setRegion(index, { [key]: value !== null && key === "reflected_c" ? read(data.scale.level, value) : value });
  },
  changedRegions() { this.trouble = ""; this.fan = null; this.refresh(); this.fetchOnce(); },
  statisticsText(region) {
    if (this.tab !== "regions" || this.shownFrame < 0) return ""; // worked out with each frame, so only where it is seen
    const pixels = drawn.pixels[region.name];
    if (!pixels?.length || !drawn.view?.pixels) return "";
    const { low, high, mean } = drawn.view.figures(pixels);
    const q = data.scale.level;
    return `this frame, as recorded: ${fixed(q, low)} to ${fixed(q, high)}, mean ${fixed(q, mean)}, ${pixels.length} px`;
  },
  takeMaterial(index, name) {
    const material = this.materials.find((m) => m.name === name);
    if (!material) return;
    this.setRegion(index, { emissivity: material.middle });
    this.fetchFan(index, name);
  },
  async fetchFan(index, material) {
    try { this.fan = { index, ...(await ask("POST", `/bench/${data.detectorId}/fan`, { take: data.take.id, detector: this.draft, region: this.regions[index].name, material })) }; } catch (error) { this.explain(error); }
  },
  hasFan(index) { return this.fan !== null && this.fan.index === index; },
  fanText(blade) { return blade.reading_c === null ? blade.refused : `${blade.misses} missed, ${blade.false_alarms} false`; },
  fanReading(blade) { return blade.reading_c === null ? "refused" : this.level(blade.reading_c); },
  get fanWords() {
    if (!this.fan) return "";
    const known = this.fan.blades.filter((b) => b.reading_c !== null);
    if (known.length === 0) return "Refused over the whole range.";
    const least = Math.min(...known.map((b) => b.misses));
    const most = Math.max(...known.map((b) => b.misses));
    const reads = known.map((b) => b.reading_c);
    const spread = fixed(width(data.scale.level), Math.max(...reads) - Math.min(...reads));
    return `${this.fan.material.name}, ${this.fan.material.low} to ${this.fan.material.high}: the greatest reading moves by ${spread}; ${least === most ? `${most === 0 ? "every alarm still comes" : `${most} missed`} over the whole range` : `${least} to ${most} missed, by where in the range it lies`}.`;
  },
  get spotText() {
    if (!this.spot) return "";
    const base = `at ${this.spot.distance_m} m a pixel covers ${this.spot.pixel_mm.toFixed(0)} mm; 3 x 3 of them, ${this.spot.measuring_mm.toFixed(0)} mm, are the smallest target that is measured`;
    const small = this.spot.small.map((s) => `${s.region}: a target of ${s.target_mm} mm at ${this.level(s.target_c)} would read ${this.level(s.reads_c)}; go nearer than ${s.farthest_m} m`);
    return [base, ...small].join(". ");
  },
  get cautionText() { return this.judged.cautions.join(". "); },
  async fetchOnce() { // what changes only with the regions
    if (data.take.kind !== "heat") return;
    try {
      const { spot, pixels } = await this.post(["spot", "pixels"]);
      this.spot = spot;
      drawn.pixels = pixels;
      this.drawView();
      this.drawFigure();
    } catch (error) { this.explain(error); }
  },
});
