// The bench of radars.
import { overGround } from "/static/tune/bench/overground.js";
import { startBench } from "/static/tune/bench/start.js";
import { alongside } from "./alongside.js";
import { following } from "./following.js";
import { placed } from "./placed.js";
import { profiles } from "./profiles.js";
import { registering } from "./registering.js";
import { radar, radarGround } from "./radar.js";

startBench(overGround(radarGround), radar, placed, profiles, registering, following, alongside);
