// A head that follows, live.
import { short } from "/static/js/svg.js";
import { startWalk } from "/static/walk/walk.js";
import { ground } from "/static/signals/onplan.js";

startWalk(
  ({ data }) => ({
    get followsText() {
      const own = (this.state?.detectors ?? []).find(({ id }) => id === data.detectorId);
      if (!own?.aim) return "";
      const [pan, tilt, zoom] = own.aim;
      const whom = own.follows ? `Follows ${own.follows}` : "Follows nobody";
      return `${whom}, looks to pan ${short(pan, 4)}°, tilt ${short(tilt, 3)}°, ${short(zoom, 3)}x.`;
    },
  }),
  ground,
);
