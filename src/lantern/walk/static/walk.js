// The live page: follows the engine's stream, draws the last frame and the reading, shows each output as it was read.
import { ask, address, latest, pageData } from "/static/js/http.js";
import { saveCsv, saveCanvas } from "/static/js/export.js";
import { joined } from "/static/js/parts.js";
import { fixed, numberOf, show } from "/static/js/units.js";

const KEPT = 240;
const token = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const INKS = ["--ink", "--patina", "--plum", "--brass"]; // of readings beside each other
const MARGIN = 0.1; // of the chart's range, above and below what it shows

// What a family may say otherwise: how readings and events read, what the chart spans, how a frame is drawn. `ground`:
// of the signal that comes live; without one nothing is drawn.
const usual = ({ data, drawn }, ground) => ({
  readingText(x) {
    return fixed(this.quantity, x);
  },
  eventReading(e) {
    return [e.region, e.words].filter(Boolean).join(", ");
  },
  chartRange(low, high, level) {
    const [least, most] = [Math.min(low, level ?? low), Math.max(high, level ?? high)];
    const margin = Math.max((most - least) * MARGIN, MARGIN);
    return [least - margin, most + margin];
  },
  async drawFrame(feed) {
    if (!ground) return;
    if (!drawn.view) {
      const { stage, canvas, overlay } = this.$refs;
      const extent = ground.extent ? await ground.extent(feed) : feed;
      drawn.view = new ground.View(extent, { stage, canvas, overlay }, {}, data.scale.level);
      drawn.view.setRegions(data.detector.regions);
      drawn.view.fit();
    }
    await ground.ofFeed(drawn.view, feed, data.deviceId);
    drawn.view.readings = Object.fromEntries(this.readings.map((r) => [r.name, r.text]));
    drawn.view.drawRegions();
  },
});

// `own`: what a family brings, a function of the page's data and what is drawn; `newsCame` may lack.
export function startWalk(own = () => ({}), ground = null) {
  document.addEventListener("alpine:init", () => window.Alpine.data("walk", () => walk(own, ground)));
}

function walk(own, ground) {
  const data = pageData();
  const drawn = { view: null, chart: null, names: [], times: [], values: [], seq: -1 };
  const common = {
    standins: data.standins,
    relayNow: null, // the stand-in of the module, as it says of itself
    silent: "",
    trouble: "",
    state: null,
    events: [],
    cameraState: null,
    jumpTo: data.jumpS,
    init() {
      this.loadFrame = latest(() => this.frame());
      this.loadEvents = latest(async () => {
        if (data.frame.raises) this.events = await ask("GET", `/walk/${data.detectorId}/events`);
      });
      this.loadEvents();
      if (data.frame.raises) setInterval(() => this.loadEvents(), 1500);
      const source = new EventSource(address(`/walk/${data.detectorId}/stream`));
      source.addEventListener("state", (event) => this.take(JSON.parse(event.data)));
      source.addEventListener("silent", (event) => {
        this.silent = event.data;
      });
      source.addEventListener("ended", () => {
        source.close();
        location.reload();
      });
      source.onerror = () => {
        this.silent = "The connection is lost; trying again.";
      };
      if (data.standins) {
        this.askStandins();
        setInterval(() => this.askStandins(), 2000);
      }
    },
    take(state) {
      this.silent = "";
      const before = this.news(this.state);
      this.state = state;
      if (this.news(state) !== before) {
        this.loadEvents();
        this.newsCame?.();
      }
      if (state.feed?.seq !== undefined && state.feed.seq !== drawn.seq) {
        drawn.seq = state.feed.seq;
        this.plot();
        this.loadFrame();
      }
    },
    missedS: 10,
    missedWords: "",
    setMissedS(text) {
      this.missedS = numberOf(text);
    },
    saidOf: (e, verdict) => String(e.verdict?.verdict === verdict),
    verdictText: (e) => (e.verdict ? e.verdict.lacking || "a mark on its recording" : ""),
    judge(e, verdict) {
      return this.attempt(async () => {
        await ask("PUT", `/walk/${data.detectorId}/events/${e.id}/verdict`, { verdict });
        await this.loadEvents();
      });
    },
    missed() {
      return this.attempt(async () => {
        const end = this.state.now; // by the engine's clock, not by this machine's
        const told = await ask("POST", `/walk/${data.detectorId}/missed`, { start: end - this.missedS, end });
        this.missedWords = told.lacking || "a mark on its recording";
      });
    },
    news: (state) => (state?.news.length ? state.news[state.news.length - 1].at : 0),
    get mine() {
      return this.state?.detectors.find((d) => d.id === data.detectorId);
    },
    quantity: data.quantity,
    get level() {
      return this.mine?.level ?? null;
    },
    get readings() {
      const mine = this.mine;
      if (!mine) return [];
      return Object.entries(mine.readings).map(([name, x], n, all) => ({
        name,
        ink: all.length > 1 ? `line-${n % INKS.length}` : "",
        text: this.readingText(x),
        raised: mine.standing[name]?.state === "raised",
        state: mine.standing[name]?.state ?? "",
        why: mine.standing[name]?.why ?? "",
      }));
    },
    get nothingYet() {
      return this.state !== null && !this.state.feed?.received;
    },
    get feedWords() {
      const feed = this.state?.feed;
      if (!feed || !feed.received) return "no frame yet";
      if (!feed.live) return "the device has stopped sending";
      const counted = [
        [feed.received, "received"],
        [feed.dropped, "dropped"],
        [feed.unreadable, "unreadable"],
      ];
      const counts = counted.filter(([count]) => count).map(([count, word]) => `${count} ${word}`);
      const size = feed.width ? [`${feed.width} x ${feed.height}`] : [];
      return [...size, `${feed.fps.toFixed(1)} a second`, ...counts].join(", ");
    },
    get feedTrouble() {
      const feed = this.state?.feed;
      return [
        feed?.error,
        feed?.unreadable ? `Frames that cannot be read are dropped; the last: ${feed.unreadable_why}` : "",
      ].filter(Boolean);
    },
    get cutOff() {
      return (this.state?.modules ?? []).filter((m) => !m.reachable);
    },
    // Those that answer, and do not do all that they are told, or late.
    get unwell() {
      const told = (m) => [m.error, m.slow].filter(Boolean).join("; ");
      return (this.state?.modules ?? [])
        .filter((m) => m.reachable && told(m))
        .map((m) => ({ code: m.code, said: told(m) }));
    },
    get relayFault() {
      return this.relayNow?.fault ?? "";
    },
    get relayFaults() {
      return Object.entries(this.relayNow?.faults ?? {});
    },
    get outputs() {
      return data.outputs.map((o) => {
        const module = this.state?.modules.find((m) => m.id === o.device);
        const active = module?.active[o.name] ?? false;
        const read = module?.coils[o.name];
        const coil = read === undefined ? "not read yet" : `coil ${o.coil} ${read ? "on" : "off"}`;
        return {
          name: o.name,
          device: o.device,
          active,
          words: `${o.module}, ${o.contact.replace("_", " ")}${o.mode ? "" : ", not linked here"}`,
          latched: o.mode === "latched",
          error: module?.errors[o.name] ?? "",
          state: module?.reachable ? `${active ? "active" : "idle"}, ${coil}` : `unknown, last ${coil}`,
        };
      });
    },
    clockOf: (at) => new Date((at + data.offsetS) * 1000).toISOString().slice(11, 19),
    cleared(e) {
      return e.cleared === null
        ? "still raised"
        : `cleared ${this.clockOf(e.cleared)}${e.clearedBy === "its reading" ? "" : `: ${e.clearedBy}`}`;
    },
    orderWords(o) {
      const until = o.to ? `until ${this.clockOf(o.to)}` : "until acknowledged";
      const tries = o.tries ? `, ${o.tries} tries so far` : "";
      if (o.stage === "running") return `${o.output} on ${this.clockOf(o.from)}, ${until}`;
      if (o.stage !== "over") return `${o.output} due ${this.clockOf(o.at)}${tries}`;
      const was = o.from ? `on ${this.clockOf(o.from)} to ${this.clockOf(o.to)}` : o.result;
      return o.result === "done" ? `${o.output} ${was}` : `${o.output} ${was}: ${o.because}`;
    },
    async frame() {
      if (data.ground) await this.drawFrame(this.state.feed);
    },
    get waiting() {
      return this.mine === undefined;
    },
    exportChart(as) {
      const unit = this.quantity.unit || "reading";
      const head = ["time_s", ...drawn.names.map((name) => (drawn.names.length > 1 ? `${name}, ${unit}` : unit))];
      const rows = drawn.times.map((t, i) => [t.toFixed(3), ...drawn.values.map((values) => values[i])]);
      if (as === "csv") return saveCsv([head, ...rows], "running");
      const canvas = this.$refs.chart.querySelector("canvas");
      if (canvas && as === "png") saveCanvas(canvas, "running");
    },
    plot() {
      const readings = Object.entries(this.mine?.readings ?? {});
      if (!readings.length || !data.frame.axis) return;
      const names = readings.map(([name]) => name);
      if (names.join("\n") !== drawn.names.join("\n")) {
        drawn.chart?.destroy();
        Object.assign(drawn, { chart: null, names, times: [], values: names.map(() => []) });
      }
      const { times, values } = drawn;
      times.push(this.state.now + data.offsetS);
      readings.forEach(([, x], n) => values[n].push(show(this.quantity, x)));
      if (times.length > KEPT) for (const each of [times, ...values]) each.shift();
      const level = this.level === null ? null : show(this.quantity, this.level);
      const all = [times, ...values, times.map(() => level)];
      if (drawn.chart) drawn.chart.setData(all);
      else drawn.chart = this.chartOf(all);
    },
    chartOf(all) {
      const axis = { stroke: token("--quiet"), grid: { stroke: token("--rule"), width: 1 }, font: "11px Noto Sans" };
      const line = (ink) => ({ stroke: token(ink), width: 1.5, points: { show: false } });
      const level = () => (this.level === null ? null : show(this.quantity, this.level));
      const size = () => ({ width: this.$refs.chart.clientWidth, height: 130 });
      const chart = new window.uPlot(
        {
          ...size(),
          cursor: { show: false },
          legend: { show: false },
          tzDate: (at) => window.uPlot.tzDate(new Date(at * 1000), "UTC"),
          axes: [
            {
              ...axis,
              values: (_, ticks) => ticks.map((t) => new Date(t * 1000).toISOString().slice(11, 19)),
              space: 90,
            },
            { ...axis, size: 44 },
          ],
          scales: { y: { range: (_, low, high) => this.chartRange(low, high, level()) } },
          series: [{}, ...drawn.names.map((_, n) => line(INKS[n % INKS.length])), line("--oxide")],
        },
        all,
        this.$refs.chart,
      );
      new ResizeObserver(() => chart === drawn.chart && chart.setSize(size())).observe(this.$refs.chart);
      return chart;
    },
    async acknowledge({ device, name }) {
      await this.attempt(() => ask("POST", "/walk/acknowledge", { device, output: name }));
    },
    get cameraWords() {
      const c = this.cameraState;
      if (!c) return "";
      const at = `${Math.floor(c.at_s / 60)}:${String(Math.floor(c.at_s % 60)).padStart(2, "0")}`;
      const how = c.playing ? "plays" : "is paused";
      return `camera ${c.code} ${how} at ${at} of ${Math.round(c.length_s / 60)} min, ${c.speed}x`;
    },
    async askStandins() {
      try {
        const s = await ask("GET", "/walk/standins/state");
        this.relayNow = s.relay;
        this.cameraState = s.cameras.find((c) => c.code === data.device) ?? null;
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async camera(what, body) {
      await this.attempt(() => ask("POST", `/walk/standins/camera/${data.device}/${what}`, body));
      this.askStandins();
    },
    async relay(what) {
      await this.attempt(() => ask("POST", `/walk/standins/relay/${what}`));
    },
    async attempt(work) {
      this.trouble = "";
      try {
        await work();
        this.loadEvents();
      } catch (error) {
        this.trouble = error.message;
      }
    },
  };
  return joined(common, usual({ data, drawn }, ground), own({ data, drawn }));
}
