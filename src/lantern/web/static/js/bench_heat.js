// The bench of kinds that watch readings.
import { people } from "./bench/people.js";
import { physics } from "./bench/physics.js";
import { seeing } from "./bench/seeing.js";
import { startBench } from "./bench/start.js";

startBench(physics, seeing, people);
