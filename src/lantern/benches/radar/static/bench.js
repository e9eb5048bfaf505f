// The bench of radars.
import { ground } from "/static/signals/sector.js";
import { overGround } from "/static/tune/bench/overground.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(overGround(ground));
