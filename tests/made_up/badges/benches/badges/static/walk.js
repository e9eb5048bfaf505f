// Badges live.
import { ground } from "/static/signals/onplan.js";
import { startWalk } from "/static/walk/walk.js";

startWalk(undefined, ground);
