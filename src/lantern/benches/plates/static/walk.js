// Plates live: the last read in its picture, how sure its vote is, what each passage came to.
import { startWalk } from "/static/js/walk.js";
import { el, redraw } from "/static/js/svg.js";

startWalk(({ drawn }) => ({
  readingText: (x) => `${(100 * x).toFixed(0)} %`,
  eventReading(e) {
    const own = e.own ?? {};
    const matched = own.match ? `, as ${own.match} on ${own.list}` : "";
    return `${own.text ?? ""}${matched}: vehicle ${e.object}, ${(100 * e.reading).toFixed(0)} % sure`;
  },
  chartRange: () => [0, 1.02],
  drawFrame(feed) {
    drawn.view = true;
    const svg = this.$refs.overlay;
    const [width, height] = [feed.width || 1920, feed.height || 1080];
    svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
    const parts = [el("rect", { class: "sky", width, height })];
    for (const read of feed.reads ?? []) {
      if (read.car) parts.push(el("rect", { class: "car", ...read.car }));
      if (read.plate) parts.push(el("rect", { class: "plate", ...read.plate }), el("text", { class: "still-text",
        x: read.plate.x + read.plate.width / 2, y: read.plate.y + read.plate.height + height / 18,
        "font-size": height / 20 }, read.text));
    }
    redraw(svg, parts);
  },
}));
