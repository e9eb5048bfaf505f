// Faces live: the last look against each list's threshold, with those it was held against.
import { short } from "/static/js/svg.js";
import { startWalk } from "/static/walk/walk.js";

startWalk(() => ({
  get looks() {
    return this.state?.feed?.looks ?? [];
  },
  groupsOf: (l) => Object.values(l.groups).join(", "),
  readingText: (x) => short(x),
  chartRange: (low, high, level) => [Math.min(low, level ?? low) - 5, Math.max(high, level ?? high) + 5],
}));
