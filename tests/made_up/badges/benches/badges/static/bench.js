// The bench of badges.
import { ground } from "/static/signals/onplan.js";
import { overGround } from "/static/tune/bench/overground.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(overGround(ground));
