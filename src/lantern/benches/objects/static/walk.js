// Objects live: the scene with what moves in it; a count is tried by walking through once each way.
import { address, ask } from "/static/js/http.js";
import { SceneView } from "/static/signals/tracks/view.js";
import { startWalk } from "/static/walk/walk.js";
import { arrowsOf } from "./arrows.js";

startWalk(({ data, drawn }) => ({
  readingText: (x) => String(x),
  chartRange: (low, high, level) => [0, Math.max(high, level ?? 0) + 1],

  drawFrame(feed) {
    if (!drawn.view) this.beginScene(feed);
    drawn.view.live = feed.objects.map(([id, x, y, w, h, label]) => ({
      x,
      y,
      w,
      h,
      text: `${id} ${label || "unknown"}`,
    }));
    drawn.view.paint();
  },
  beginScene(feed) {
    const parts = { stage: this.$refs.stage, canvas: this.$refs.canvas, overlay: this.$refs.overlay };
    drawn.view = new SceneView({ ...feed, intervalS: 1 / feed.fps }, parts);
    drawn.view.band = data.detector.dials.band ?? 0;
    drawn.view.arrows = arrowsOf(data.arrows, data.detector.dials);
    drawn.view.numbered = data.numbered;
    drawn.view.setRegions(data.detector.regions);
    if (!data.still) return;
    const image = new Image();
    image.src = address(data.still);
    image.decode().then(() => {
      drawn.view.still = image;
      drawn.view.drawTracks();
    });
  },

  // one in, one out: the server holds the counts against each other, and keeps what it found
  verify: null,
  get verifyText() {
    return this.verify?.words ?? "Walk in once and out once: the counts must follow.";
  },
  async startVerify() {
    await this.attempt(async () => {
      this.verify = await ask("POST", `/walk/${data.detectorId}/passages`);
    });
  },
  async lookVerify() {
    if (!this.verify?.open) return;
    this.verify = await ask("PUT", `/walk/${data.detectorId}/passages/${this.verify.id}`);
  },
  newsCame() {
    this.lookVerify().catch((error) => {
      this.trouble = error.message;
    });
  },
  async empty() {
    await this.attempt(() => ask("POST", `/walk/${data.detectorId}/told/empty`));
  },
}));
