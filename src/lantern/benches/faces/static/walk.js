// Faces live: scores as they come against each list's threshold, the last look, the newest match beside its reference.
import { saveCsv, savePng } from "/static/js/export.js";
import { address } from "/static/js/http.js";
import { startWalk } from "/static/walk/walk.js";
import { el, redraw, short } from "/static/js/svg.js";

const SPAN_S = 180; // of the score line
const [WIDE, TALL, LEFT, FOOT] = [560, 150, 34, 18];
const TRIES = 4;
const INKS = ["oxide", "patina", "plum", "brass"];

startWalk(({ data }) => ({
  shots: [], // of the looks since the page is open: when, and each list's best
  referred: false,
  get looks() {
    return this.state?.feed?.looks ?? [];
  },
  groupsOf: (l) => Object.values(l.groups).join(", "),
  readingText: (x) => short(x),
  pictureOf: (probe) => address(`/devices/${data.deviceId}/looks/${encodeURIComponent(probe)}`),
  referenceOf: (member) => address(`/members/${encodeURIComponent(member)}/portrait`),
  enrolAddress: (l) => address(`/persons?device=${data.deviceId}&probe=${encodeURIComponent(l.probe)}`),
  // A picture is stored behind the decision: it may be a moment late.
  again({ target }) {
    const tries = Number(target.dataset.tries ?? 0);
    if (tries >= TRIES) return;
    target.dataset.tries = tries + 1;
    setTimeout(() => {
      target.src = `${target.src.split("?")[0]}?again=${tries}`;
    }, 400);
  },
  // One that nobody has; the next match may have its own.
  lost: {},
  gone({ target }) {
    this.lost = { ...this.lost, [target.getAttribute("src")]: true };
  },
  isThere(picture) {
    return this.lost[picture] !== true;
  },
  get lookThere() {
    return Boolean(this.newest?.probe) && this.isThere(this.pictureOf(this.newest.probe));
  },
  get referenceThere() {
    return this.referred && Boolean(this.newest) && this.isThere(this.referenceOf(this.newest.object));
  },

  // ---- the score line ----

  plot() {
    const last = this.mine?.last;
    if (last?.probe && this.shots.at(-1)?.probe !== last.probe) {
      this.shots = [...this.shots, { at: this.state.now, probe: last.probe, bests: last.bests ?? [] }];
    }
    const from = this.state.now - SPAN_S;
    this.shots = this.shots.filter((shot) => shot.at >= from);
    const [low, high] = this.range;
    const x = (at) => LEFT + ((at - from) / SPAN_S) * (WIDE - LEFT - 4);
    const y = (score) => TALL - FOOT - ((score - low) / (high - low)) * (TALL - FOOT - 8);
    const parts = [low, (low + high) / 2, high].map((score) =>
      el("text", { class: "svg-label", x: LEFT - 6, y: y(score) + 4, "text-anchor": "end" }, short(score)),
    );
    for (const back of [0, 60, 120])
      parts.push(
        el(
          "text",
          { class: "svg-label", x: x(this.state.now - back), y: TALL - 3, "text-anchor": back ? "middle" : "end" },
          back ? `${back} s ago` : "now",
        ),
      );
    Object.entries(this.thresholds).forEach(([name, threshold], n) => {
      const ink = INKS[n % INKS.length];
      const line = { class: `score-threshold ink-${ink}`, x1: LEFT, x2: WIDE - 4, y1: y(threshold), y2: y(threshold) };
      parts.push(el("line", line));
      const label = { class: `svg-label ink-${ink}`, x: LEFT + 4, y: y(threshold) - 4 };
      parts.push(el("text", label, `${name} ${short(threshold)}`));
    });
    for (const shot of this.shots)
      for (const [name, , score] of shot.bests) {
        const over = score >= (this.thresholds[name] ?? Infinity);
        const place = { cx: x(shot.at), cy: y(score), r: over ? 4.5 : 2.2 };
        parts.push(el("circle", { class: over ? "score-over" : "score-under", ...place }));
      }
    redraw(this.$refs.scores, parts);
  },
  exportChart(as) {
    if (as === "png") return savePng(this.$refs.scores, "scores");
    const rows = this.shots.flatMap((shot) => shot.bests.map((best) => [shot.at.toFixed(3), shot.probe, ...best]));
    return saveCsv([["time_s", "look", "list", "candidate", "score"], ...rows], "scores");
  },
  get thresholds() {
    return this.mine?.thresholds ?? {};
  },
  get range() {
    const scores = [
      ...this.shots.flatMap((shot) => shot.bests.map((best) => best[2])),
      ...Object.values(this.thresholds),
    ];
    const [least, most] = [Math.min(...scores, 0), Math.max(...scores, 1)];
    return [least, most * 1.05];
  },

  // ---- the newest match ----

  get newest() {
    const event = this.events[0];
    return event ? { ...event, probe: event.why.probe ?? "" } : null;
  },
  get matchText() {
    return `${this.newest.words}, ${this.clockOf(this.newest.raised)}`;
  },
  get newestSaid() {
    return this.newest?.verdict ? `said: ${this.newest.verdict.verdict}` : "";
  },
  get replayable() {
    return data.standins && this.cameraState !== null;
  },
  // The stand-in goes back to a few seconds before now.
  replay() {
    const at = this.cameraState?.at_s ?? 0;
    return this.camera("play", { from_s: Math.max(at - 10, 0) });
  },
  press(event) {
    if (event.target.closest("input, select, textarea") || event.ctrlKey || event.metaKey || !this.newest) return;
    const does = {
      r: () => this.judge(this.newest, "right"),
      w: () => this.judge(this.newest, "wrong"),
      b: () => {
        this.referred = true;
      },
      p: () => this.replayable && this.replay(),
    }[event.key];
    does?.();
  },
}));
