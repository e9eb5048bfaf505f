// A map of two dials: what every pair of their values gives.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { PairMap } from "/static/tune/pairmap.js";
import { told } from "/static/tune/measures.js";
import { short } from "/static/js/svg.js";
import { show } from "/static/js/units.js";

// Where no two dials are mapped.
export const noMap = () => ({ startMap() {} });

export const map = ({ data, infos, drawn, shown, studied }) => {
  shown.map = studied.map = (page) => page.drawMap();
  return {
    pair: { x: data.pair[0], y: data.pair[1] },
    pairRead: "",

    startMap() {
      drawn.map = new PairMap(this.$refs.map, {
        read: (cell) => this.readCell(cell),
        pick: (cell) => this.pickCell(cell),
      });
      this.$nextTick(() => this.drawMap());
    },
    get pairDials() {
      return data.dials.filter((d) => d.numeric && this.matters.includes(d.name) && this.dials[d.name] !== null);
    },
    askMap() {
      return this.askStudy("map", { dial_x: this.pair.x, dial_y: this.pair.y });
    },
    get map() {
      const s = this.studies.map;
      return s?.state === "done" ? s.result : null;
    },
    drawMap() {
      const map = this.map;
      if (!map || this.tab !== "map") return;
      const [qx, qy] = [infos[map.dial_x].shown, infos[map.dial_y].shown];
      drawn.map.draw(map, {
        qx,
        qy,
        at: { x: this.dials[map.dial_x] ?? map.x[0], y: this.dials[map.dial_y] ?? map.y[0] },
        labels: { x: `${infos[map.dial_x].label}, ${qx.unit}`, y: `${infos[map.dial_y].label}, ${qy.unit}` },
      });
    },
    cellText({ row, column }) {
      const map = this.map;
      const at = (name, value) => `${infos[name].label} ${short(show(infos[name].shown, value))}`;
      const pair = `${at(map.dial_x, map.x[column])}, ${at(map.dial_y, map.y[row])}`;
      return `${pair}: ${told(
        map.measures,
        map.measures.map((m) => map.values[m.name][row][column]),
      )}`;
    },
    readCell(cell) {
      this.pairRead = cell && this.map ? this.cellText(cell) : "";
    },
    pickCell({ row, column }) {
      const map = this.map;
      this.remember();
      this.dials[map.dial_x] = map.x[column];
      this.dials[map.dial_y] = map.y[row];
      this.resetTexts();
      this.refresh();
      this.drawMap();
    },
    get front() {
      return (this.map?.front ?? [])
        .slice(0, 8)
        .map(([row, column]) => ({ row, column, key: `${row}-${column}`, text: this.cellText({ row, column }) }));
    },
    get robustText() {
      const map = this.map;
      return map ? this.cellText({ row: map.robust[0], column: map.robust[1] }) : "";
    },
    pickRobust() {
      this.pickCell({ row: this.map.robust[0], column: this.map.robust[1] });
    },
    exportMap(as) {
      const map = this.map;
      if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.map, "map");
      const [qx, qy] = [infos[map.dial_x].shown, infos[map.dial_y].shown];
      const names = map.measures.map((m) => m.name);
      const rows = map.y.flatMap((y, r) =>
        map.x.map((x, c) => [show(qx, x), show(qy, y), ...names.map((name) => map.values[name][r][c])]),
      );
      return saveCsv([[map.dial_x, map.dial_y, ...names], ...rows], "map");
    },
  };
};
