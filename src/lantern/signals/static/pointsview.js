// A ground in metres with points on it: what a device found over a take, or just now.
import { ask } from "/static/js/http.js";
import { el } from "/static/js/svg.js";
import { PlainView } from "./plainview.js";

export class PointsView extends PlainView {
  points = []; // [x, y, word] in the space of the regions

  more(unit) {
    return this.points.map((point) => {
      const [x, y] = this.at(point);
      return el("circle", { class: "found", cx: x, cy: y, r: 3 * unit }, el("title", {}, String(point[2] ?? "")));
    });
  }
}

// What every ground of points does: a take shows all that was found on it, a feed what was found last.
export const showsPoints = {
  async ofTake(view, take) {
    view.points = (await ask("GET", `/takes/${take.id}/sketch`)).points;
    view.fit();
    return view.points.length === 1 ? "1 point" : `${view.points.length} points`;
  },

  ofFeed(view, feed) {
    view.points = feed.points ?? [];
    view.drawRegions();
  },
};
