// The bench of kinds that decide on faces.
import { faces } from "./faces.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(faces);
