// Plates live: the last read in its picture, how sure its vote is, what each passage came to.
import { ask } from "/static/js/http.js";
import { startWalk } from "/static/walk/walk.js";
import { el, redraw } from "/static/js/svg.js";

startWalk(({ data, drawn }) => ({
  late: [],
  lateKnown: null,
  readingText: (x) => `${(100 * x).toFixed(0)} %`,
  get refused() {
    return [...(this.mine?.refused ?? [])].reverse();
  },
  chartRange: () => [0, 1.02],
  lateText: (r) => `${r.late_s} s late`,
  textsOf: (r) => r.texts.join(", "),
  async fetchLate(count) {
    this.lateKnown = count;
    await this.attempt(async () => {
      this.late = await ask("GET", `/walk/${data.detectorId}/late`);
    });
  },
  drawFrame(feed) {
    if (feed.late !== this.lateKnown) this.fetchLate(feed.late);
    for (const side of ["width", "height"]) this.$refs.stage.style[side] = "100%";
    drawn.view = true;
    const svg = this.$refs.overlay;
    const [width, height] = [feed.width || 1920, feed.height || 1080];
    svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
    const parts = [el("rect", { class: "sky", width, height })];
    const box = (name, [x, y, w, h]) => el("rect", { class: name, x, y, width: w, height: h });
    for (const read of feed.reads ?? []) {
      if (read.car) parts.push(box("car", read.car));
      if (!read.plate) continue;
      const [x, y, w, h] = read.plate;
      parts.push(box("plate", read.plate));
      if (read.crop)
        parts.push(
          el("image", {
            href: `data:image/png;base64,${read.crop}`,
            x: x + w / 2 - width / 9,
            y: y + h + height / 40,
            width: width / 4.5,
            height: width / 21,
          }),
        );
      parts.push(
        el(
          "text",
          { class: "still-text", x: x + w / 2, y: y + h + height / 40 + width / 15, "font-size": height / 20 },
          read.text,
        ),
      );
    }
    redraw(svg, parts);
  },
}));
