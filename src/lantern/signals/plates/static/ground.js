// Reads as ground: where in the picture plates were read, over a take or just now.
import { address, ask } from "/static/js/http.js";
import { el } from "/static/js/svg.js";
import { PlainView } from "/static/signals/plainview.js";
import { many } from "/static/js/units.js";

class ReadsView extends PlainView {
  boxes = [];

  more() {
    return this.boxes.map(([x, y, width, height]) => el("rect", { class: "found-box", x, y, width, height }));
  }
}

export const ground = {
  View: ReadsView,

  async ofTake(view, take) {
    view.boxes = (await ask("GET", `/takes/${take.id}/sketch`)).plates;
    if (take.still) {
      const still = new Image();
      still.src = address(`/takes/${take.id}/still`);
      await still.decode();
      view.still = still;
    }
    view.fit();
    return `${many(view.boxes.length, "place")} at which a plate was read`;
  },

  ofFeed(view, feed) {
    view.boxes = feed.reads.map((read) => read.plate).filter(Boolean);
    view.drawRegions();
  },
};
