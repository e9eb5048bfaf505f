// Regions: drawn, typed, named, given a part to play. What a bench does when they change, it says itself
// (regionsChanged, regionChosen).
import { numberOf, read, typed } from "/static/js/units.js";
import { copy } from "./dials.js";

export const regions = ({ data, drawn }) => ({
  regions: copy(data.detector.regions),
  chosenRegion: data.detector.regions.length === 1 ? 0 : -1,
  tool: null,

  setTool(tool) {
    this.tool = this.tool === tool ? null : tool;
    drawn.view?.setTool(this.tool);
  },
  addRegion(shape, points) {
    this.remember();
    let number = this.regions.length + 1;
    while (this.regions.some((r) => r.name === `${shape} ${number}`)) number += 1;
    this.regions = [
      ...this.regions,
      {
        name: `${shape} ${number}`,
        shape,
        points,
        role: "watch",
        ...Object.fromEntries(Object.keys(this.regionOptions).map((key) => [key, null])),
      },
    ];
    this.chosenRegion = this.regions.length - 1;
    this.tab = "regions";
    this.changedRegions();
  },
  removeRegion(index) {
    if (this.regions.length === 1 && data.frame.regions === "needed") {
      this.trouble = "A detector needs a region: draw another one first.";
      return;
    }
    this.remember();
    this.regions = this.regions.filter((_, i) => i !== index);
    this.chosenRegion = -1;
    this.changedRegions();
  },
  chooseRegion(index) {
    this.chosenRegion = index;
    this.drawView();
    this.regionChosen();
  },
  setRegion(index, change) {
    this.remember();
    this.regions[index] = { ...this.regions[index], ...change };
    this.changedRegions();
  },
  renameRegion(index, name) {
    if (name.trim() && name !== this.regions[index].name) this.setRegion(index, { name: name.trim() });
  },
  turnLine(index) {
    this.setRegion(index, { points: [...this.regions[index].points].reverse() });
  },
  roleOf(region) {
    return region.role ?? "watch";
  },
  typePoints(index, text) {
    const points = text
      .trim()
      .split(/\s+/)
      .map((pair) => pair.split(",").map(Number));
    if (points.some((p) => p.length !== 2 || !p.every(Number.isFinite))) {
      this.trouble = `Points ${text}: expected x,y pairs with spaces between, such as 10,20 80,20 80,60`;
      return;
    }
    this.setRegion(index, { points });
  },
  // A sector is [[near, left], [far, right]]: one of its four numbers.
  endOf: (region, at, of) => region.points[at]?.[of],
  typeEnd(index, at, of, text) {
    const value = numberOf(text);
    if (value === null || !Number.isFinite(value)) {
      this.trouble = `A sector's end ${text}: expected a number`;
      return;
    }
    const points = this.regions[index].points.map((point, i) =>
      point.map((number, k) => (i === at && k === of ? value : number)),
    );
    this.setRegion(index, { points });
  },
  pointsText(region) {
    return region.points.map((p) => p.join(",")).join(" ");
  },
  optionText(region, key) {
    return region[key] === null || region[key] === undefined ? "" : typed(this.regionOptions[key], region[key]);
  },
  // a number or empty; the server refuses what makes no sense and says what would
  typeRegion(index, key, text) {
    const value = numberOf(text);
    if (value !== null && !Number.isFinite(value)) {
      this.trouble = `${key} ${text}: expected a number, or empty`;
      return;
    }
    this.setRegion(index, { [key]: value === null ? null : read(this.regionOptions[key], value) });
  },
  changedRegions() {
    this.trouble = "";
    this.refresh();
    this.regionsChanged();
  },
});
