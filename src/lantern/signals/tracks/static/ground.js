// Objects as ground: all their ways over a take, or those that move just now.
import { address } from "/static/js/http.js";
import { SceneView } from "./view.js";
import { fetchTracks } from "./tracks.js";
import { many } from "/static/js/units.js";

export const ground = {
  View: SceneView,

  async ofTake(view, take) {
    const tracks = await fetchTracks(address(`/takes/${take.id}/tracks`));
    if (take.still) {
      const still = new Image();
      still.src = address(`/takes/${take.id}/still`);
      await still.decode();
      view.still = still;
    }
    view.codes = tracks.ids.map(() => "unjudged");
    view.setTracks(tracks, "foot");
    return `tracks of ${many(tracks.ids.length, "object")}`;
  },

  ofFeed(view, feed) {
    view.live = feed.objects.map(([id, x, y, w, h, label]) => ({ x, y, w, h, text: `${id} ${label || "unknown"}` }));
    view.paint();
  },
};
