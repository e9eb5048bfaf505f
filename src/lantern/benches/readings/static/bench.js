// The bench of kinds that watch readings.
import { advice } from "./advice.js";
import { noise } from "./noise.js";
import { people } from "./people.js";
import { physics } from "./physics.js";
import { seeing } from "./seeing.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(physics, seeing, noise, people, advice);
