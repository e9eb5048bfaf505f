// The plan of the site as ground: metres east and north of its corner, with what was drawn on it.
import { ask } from "/static/js/http.js";
import { el } from "/static/js/svg.js";
import { PointsView, showsPoints } from "./pointsview.js";

const AREAS = ["water", "pier"]; // outlines that are areas; the others are lines

class PlanView extends PointsView {
  drawRegions() {
    super.drawRegions();
    const { plan } = this.picture;
    this.overlay.prepend(
      ...(plan.outlines ?? []).map((each) => this.#outline(each, each.what, AREAS.includes(each.what))),
      ...(plan.occluders ?? []).map((each) => this.#outline(each, "wall", each.closed)),
    );
  }

  #outline({ points, name = "" }, what, closed) {
    const path = points.map((point) => this.at(point).join(",")).join(" ");
    const form = closed ? "polygon" : "polyline";
    return el(form, { class: `plan-${what}`, points: path }, el("title", {}, name || what));
  }
}

export const ground = {
  View: PlanView,
  async extent(thing) {
    const plan = await ask("GET", "/plan.json");
    return { ...thing, plan, metric: true, left: 0, low: 0, width: plan.width_m, height: plan.height_m };
  },
  ...showsPoints,
};
