// Likenesses live: how many were known.
import { startWalk } from "/static/walk/walk.js";

startWalk();
