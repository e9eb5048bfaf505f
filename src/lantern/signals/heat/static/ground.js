// Thermal pictures as ground: one in the middle of a take, or the last that came.
import { address } from "/static/js/http.js";
import { HeatView, fetchFrame } from "./view.js";

export const ground = {
  View: HeatView,
  pictured: true,

  async ofTake(view, take) {
    view.show(await fetchFrame(address(`/takes/${take.id}/frames/${Math.floor(take.samples / 2)}`)));
    view.setScale(...view.range());
    return "";
  },

  async ofFeed(view, feed, deviceId) {
    const pixels = await fetchFrame(address(`/devices/${deviceId}/frame`), feed.dtype);
    if (pixels.length !== feed.width * feed.height) return;
    const first = view.pixels === null;
    view.show(pixels);
    if (first) view.setScale(...view.range());
  },
};
