// A plain ground, or a picture from a file: what regions are drawn on where nothing has been seen yet.
import { RegionView } from "./regionview.js";

export class PlainView extends RegionView {
  constructor(picture, parts, on = {}) {
    super(picture, parts, on);
    this.still = null;
  }

  fitted() {
    this.paint();
  }

  paint() {
    const { canvas, stage, still } = this;
    [canvas.width, canvas.height] = [stage.clientWidth, stage.clientHeight];
    if (!canvas.width) return;
    const context = canvas.getContext("2d");
    context.fillStyle = getComputedStyle(canvas).getPropertyValue("--panel").trim();
    context.fillRect(0, 0, canvas.width, canvas.height);
    if (still) context.drawImage(still, 0, 0, canvas.width, canvas.height);
  }
}
