// The sector before a sensor: x metres to its right, y ahead of it, with rings of distance and lines of bearing.
// Takes and
// feeds say how far it reaches (`rangeM`) and how wide (`sectorDeg`).
import { el } from "/static/js/svg.js";
import { PointsView, showsPoints } from "./pointsview.js";

const RINGS = 4;
const BEARING_DEG = 30;
const radians = (deg) => (deg * Math.PI) / 180;

class SectorView extends PointsView {
  drawRegions() {
    super.drawRegions();
    this.overlay.prepend(...this.#ground(this.unit ?? 1));
  }

  #ground(unit) {
    const { rangeM, sectorDeg } = this.picture;
    const half = Math.min(sectorDeg / 2, 90);
    const place = (r, deg) => this.at([r * Math.sin(radians(deg)), r * Math.cos(radians(deg))]);
    const arc = (r) => {
      const [[x1, y1], [x2, y2]] = [place(r, -half), place(r, half)];
      return `M${x1} ${y1}A${r} ${r} 0 0 1 ${x2} ${y2}`;
    };
    const rings = Array.from({ length: RINGS }, (_, n) => ((n + 1) * rangeM) / RINGS);
    const bearings = [];
    for (let deg = -Math.floor(half / BEARING_DEG) * BEARING_DEG; deg <= half; deg += BEARING_DEG) bearings.push(deg);
    const spokes = [...new Set([-half, ...bearings, half])];
    return [
      ...rings.flatMap((r) => {
        const [x, y] = place(r, 0);
        const word = el(
          "text",
          { class: "ring-word", x: x + 4 * unit, y: y - 4 * unit, "font-size": 11 * unit },
          `${r} m`,
        );
        return [el("path", { class: "ring", d: arc(r) }), word];
      }),
      ...spokes.map((deg) => {
        const [[x1, y1], [x2, y2]] = [place(0, 0), place(rangeM, deg)];
        return el("line", { class: "ring", x1, y1, x2, y2 });
      }),
    ];
  }
}

export const ground = {
  View: SectorView,
  extent: ({ rangeM, sectorDeg = 180, ...rest }) => ({
    ...rest,
    rangeM,
    sectorDeg,
    metric: true,
    left: -rangeM,
    low: 0,
    width: 2 * rangeM,
    height: rangeM,
  }),
  ...showsPoints,
};
