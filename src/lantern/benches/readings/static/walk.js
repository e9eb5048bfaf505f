// Readings live: the heat image that the camera sends, with the reading of each region.
import { address } from "/static/js/http.js";
import { HeatView, fetchFrame } from "/static/signals/heat/view.js";
import { fixed } from "/static/js/units.js";
import { startWalk } from "/static/walk/walk.js";

startWalk(({ data, drawn }) => ({
  readingText(x) {
    return fixed(this.quantity, x);
  },
  chartRange: (low, high, level) => [Math.min(low, level ?? low) - 2, Math.max(high, level ?? high) + 2],

  async drawFrame(feed) {
    if (!drawn.view) {
      const { stage, canvas, overlay, scale } = this.$refs;
      const parts = { stage, canvas, overlay, scale };
      drawn.view = new HeatView(feed, parts, {}, data.scale.level);
      drawn.view.setRegions(data.detector.regions);
      drawn.view.level = data.levelInPicture ? this.level : null;
    }
    const pixels = await fetchFrame(address(`/devices/${data.deviceId}/frame`), feed.dtype).catch(() => null);
    if (!pixels || pixels.length !== feed.width * feed.height) return;
    const first = drawn.view.pixels === null;
    drawn.view.show(pixels);
    if (first) {
      const [low, high] = drawn.view.range();
      drawn.view.setScale(low, Math.max(high, (drawn.view.level ?? low) + 10));
      drawn.view.fit();
    }
    drawn.view.readings = Object.fromEntries(this.readings.map((r) => [r.name, r.text]));
    drawn.view.drawRegions();
  },
}));
