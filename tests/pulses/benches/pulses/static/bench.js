// The bench of pulses: nothing of its own to draw.
import { startBench } from "/static/tune/bench/start.js";

startBench(() => ({
  startView() {},
  showAt() {},
  drawView() {},
  fetchOnce() {},
  regionsChanged() {},
  regionChosen() {},
  regionOptions: {},
  stripParts: ["strips"],
  extraKeys: {},
}));
