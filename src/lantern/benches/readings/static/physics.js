// The physics of a region on a thermal picture: statistics, emissivity by material with what an error of it would do,
// the smallest target.
import { ask } from "/static/js/http.js";
import { PLAIN, fixed, width } from "/static/js/units.js";

export const physics = ({ data, drawn }) => ({
  materials: data.materials,
  fan: null,
  spot: null,

  regionOptions: { emissivity: PLAIN, reflected_c: data.scale.level, target_mm: { ...PLAIN, unit: "mm" } },
  regionsChanged() {
    this.fan = null;
    this.fetchOnce();
  },
  regionChosen() {
    this.drawFigure();
  },
  statisticsText(region) {
    if (this.tab !== "regions" || this.shownFrame < 0) return "";
    // worked out with each frame, so only where it is seen
    const pixels = drawn.pixels[region.name];
    if (!pixels?.length || !drawn.view?.pixels) return "";
    const { low, high, mean } = drawn.view.figures(pixels);
    const q = data.scale.level;
    return (
      `this frame, as recorded: ${fixed(q, low)} to ${fixed(q, high)}, mean ${fixed(q, mean)}, ` + `${pixels.length} px`
    );
  },
  takeMaterial(index, name) {
    const material = this.materials.find((m) => m.name === name);
    if (!material) return;
    this.setRegion(index, { emissivity: material.middle });
    this.fetchFan(index, name);
  },
  async fetchFan(index, material) {
    try {
      this.fan = {
        index,
        ...(await ask("POST", `/bench/${data.detectorId}/fan`, {
          take: data.take.id,
          detector: this.draft,
          region: this.regions[index].name,
          material,
        })),
      };
    } catch (error) {
      this.explain(error);
    }
  },
  hasFan(index) {
    return this.fan !== null && this.fan.index === index;
  },
  fanText(blade) {
    return blade.reading_c === null ? blade.refused : `${blade.misses} missed, ${blade.false_alarms} false`;
  },
  fanReading(blade) {
    return blade.reading_c === null ? "refused" : this.level(blade.reading_c);
  },
  get fanWords() {
    if (!this.fan) return "";
    const known = this.fan.blades.filter((b) => b.reading_c !== null);
    if (known.length === 0) return "Refused over the whole range.";
    const least = Math.min(...known.map((b) => b.misses));
    const most = Math.max(...known.map((b) => b.misses));
    const reads = known.map((b) => b.reading_c);
    const spread = fixed(width(data.scale.level), Math.max(...reads) - Math.min(...reads));
    const all = most === 0 ? "every alarm still comes" : `${most} missed`;
    const missed =
      least === most ? `${all} over the whole range` : `${least} to ${most} missed, by where in the range it lies`;
    const { name, low, high } = this.fan.material;
    return `${name}, ${low} to ${high}: the greatest reading moves by ${spread}; ${missed}.`;
  },
  get spotText() {
    if (!this.spot) return "";
    const base =
      `at ${this.spot.distance_m} m a pixel covers ${this.spot.pixel_mm.toFixed(0)} mm; 3 x 3 of them, ` +
      `${this.spot.measuring_mm.toFixed(0)} mm, are the smallest target that is measured`;
    const small = this.spot.small.map(
      (s) =>
        `${s.region}: a target of ${s.target_mm} mm at ${this.level(s.target_c)} would read ` +
        `${this.level(s.reads_c)}; go nearer than ${s.farthest_m} m`,
    );
    return [base, ...small].join(". ");
  },
  async fetchOnce() {
    // what changes only with the regions
    if (!data.take.framed) return;
    try {
      const { spot, pixels } = await this.post(["spot", "pixels"]);
      this.spot = spot;
      drawn.pixels = pixels;
      this.drawView();
      this.drawFigure();
    } catch (error) {
      this.explain(error);
    }
  },
});
