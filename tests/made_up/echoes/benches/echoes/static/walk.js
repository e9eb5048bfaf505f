// Echoes live.
import { ground } from "/static/signals/sector.js";
import { startWalk } from "/static/walk/walk.js";

startWalk(undefined, ground);
