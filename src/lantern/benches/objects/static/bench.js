// The bench of kinds that watch objects on their way.
import { counting } from "./counting.js";
import { lineMap } from "./linemap.js";
import { scene } from "./scene.js";
import { tally } from "./tally.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(scene, counting, tally, lineMap);
