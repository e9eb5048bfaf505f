// The bench of a head that follows.
import { overGround } from "/static/tune/bench/overground.js";
import { startBench } from "/static/tune/bench/start.js";
import { following, planGround } from "./following.js";

startBench(overGround(planGround), following);
