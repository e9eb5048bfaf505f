// The bench of kinds that decide on plates.
import { passages } from "./passages.js";
import { truths } from "./truths.js";
import { startBench } from "/static/tune/bench/start.js";

startBench(passages, truths);
