// The bench of kinds that watch objects on their way.
import { counting } from "./bench/counting.js";
import { scene } from "./bench/scene.js";
import { startBench } from "./bench/start.js";

startBench(scene, counting);
