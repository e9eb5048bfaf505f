// A whole site on one clock: the server judges and plays it; here it is drawn, zoomed, and asked why.
import { ask, pageData } from "/static/js/http.js";
import { joined } from "/static/js/parts.js";
import { may } from "/static/js/roles.js";
import { el, redraw } from "/static/js/svg.js";
import { suppose } from "./suppose.js";

const [WIDTH, LEFT, LANE, HEAD, TOP] = [1030, 190, 17, 19, 16];
const DAY_S = 86400;
const STEPS_S = [1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 10_800, 21_600, 43_200];
const [LEAST_S, MORE] = [2, 1.25];
const RESULTS = { done: "", cut: "cut", busy: "busy", expired: "expired", asleep: "asleep", lost: "lost" };

document.addEventListener("alpine:init", () => {
  window.Alpine.data("rehearsal", () => {
    const data = pageData();
    let held = null; // where the pointer took the drawing
    return joined(suppose(data), {
      done: null,
      laid: "day",
      seed: 1,
      judged: 0,
      view: [0, DAY_S],
      picked: null,
      within: "5",
      name: "",
      trouble: "",

      async init() {
        addEventListener("resize", () => this.draw());
        try {
          for (const [detector, take] of data.judge) {
            await ask("POST", `/rehearsal/judge/${detector}?take=${take}`);
            this.judged += 1;
          }
          await this.play();
          this.whole();
        } catch (error) {
          this.trouble = error.message;
        }
      },
      async play() {
        this.done = await ask("POST", `/rehearsal/play?${this.asLaid}`);
        this.asIs = null;
        this.then = null;
        this.draw();
      },
      async lay(laid) {
        this.laid = laid;
        this.picked = null;
        try {
          await this.play();
          this.trouble = "";
          this.whole();
        } catch (error) {
          this.trouble = error.message;
        }
      },
      sow(text) {
        this.seed = text.trim();
        return this.lay(this.laid);
      },
      get isMadeUp() {
        return this.laid === "made up";
      },
      get asLaid() {
        const { laid, seed } = this;
        return new URLSearchParams(this.isMadeUp ? { laid, seed } : { laid }).toString();
      },
      // Hours of a made-up day that no take of a device tells of.
      get unknownText() {
        const unknown = Object.entries(this.done?.unknown ?? {});
        if (!unknown.length) return "";
        return `No take tells of: ${unknown.map(([code, hours]) => `${code} ${hours} h`).join(", ")} of the day.`;
      },
      get progress() {
        if (this.done) {
          const { length_s } = this.done.load;
          return `${data.judge.length} judged, ${(length_s / 3600).toFixed(1)} h of takes, played as one`;
        }
        const next = data.judge[this.judged];
        return next ? `judging ${this.judged + 1} of ${data.judge.length}: ${next[2]}` : "playing it";
      },
      get stations() {
        return this.done?.stations ?? [];
      },

      // ---- why ----

      get because() {
        if (!this.picked || !this.done) return [];
        const { kind, of } = this.picked;
        const lines = { event: () => this.ofEvent(of), order: () => this.ofOrder(of), mark: () => this.ofMark(of) }[
          kind
        ]();
        return lines.map(([text, style], n) => ({ key: `${n} ${text}`, text, class: style ?? "" }));
      },
      ofEvent({ lane, event: [index, at, verdict, asleep, take] }) {
        const lines = [[`${lane.name} raised at ${this.clock(at)} (${take}): ${verdict}.`, "strong"]];
        if (asleep) return [...lines, ["Its own timetable was off: it fired nothing."]];
        const made = this.done.compounds.filter((c) => c.parts.includes(index));
        const orders = this.done.orders.filter((o) => o.event === index);
        const slept = this.done.asleep.filter((a) => a.event === index);
        lines.push(...slept.map((a) => [`Link ${a.link}: ${a.because}`]));
        lines.push(...orders.map((o) => [this.orderText(o), o.result === "done" ? "kept" : "lost"]));
        for (const c of made) {
          lines.push([
            `Compound ${c.compound} raised at ${this.clock(c.raised_s)}${c.asleep ? ", asleep" : ""}.`,
            "strong",
          ]);
          const own = this.done.orders.filter((o) => o.by === c.key);
          lines.push(...own.map((o) => [this.orderText(o), o.result === "done" ? "kept" : "lost"]));
        }
        return lines.length > 1 ? lines : [...lines, ["No link listens to it, and no compound was made of it."]];
      },
      orderText(o) {
        const late = o.from_s === null ? "" : ` from ${this.clock(o.from_s)}`;
        return `Link ${o.link}: ${o.do.replace("_", " ")} on ${o.on}${late}, ${o.result}. ${o.because}`;
      },
      ofOrder(o) {
        const lines = [[this.orderText(o), "strong"]];
        if (typeof o.event === "string") return [...lines, [`Ordered by the compound ${o.event}.`]];
        for (const place of this.done.places)
          for (const lane of place.lanes)
            for (const event of lane.events)
              if (event[0] === o.event) lines.push(...this.ofEvent({ lane, event }).slice(0, 1));
        return lines;
      },
      ofMark({ lane, mark: [from, to, label, hit, why] }) {
        const lines = [[`Marked ${label} at ${lane.name}, ${this.clock(from)} to ${this.clock(to)}.`, "strong"]];
        if (label !== "expect") return lines;
        return [...lines, hit ? ["It was raised.", "kept"] : [`Not raised. ${why}`, "lost"]];
      },
      pick(kind, of) {
        this.picked = { kind, of };
        this.name = kind === "order" ? this.nameFor(of) : "";
        this.draw();
      },
      clock(s) {
        const at = new Date((this.done.begins + s) * 1000);
        return at.toLocaleTimeString("en-GB", { timeZone: this.done.zone });
      },

      // ---- what is another than the last time ----

      get sinceText() {
        const { before, differences, changes, takes } = this.done?.since ?? {};
        if (!before) return "Nothing to hold it against yet: the next time that something was changed it is.";
        const at = new Date(before * 1000).toLocaleString("en-GB", { timeZone: this.done.zone });
        if (!differences.length) return `As it was on ${at}, with ${changes.length} changes in between.`;
        const other = takes.length ? `; other takes: ${takes.join(", ")}` : "";
        return `Against ${at}${other}`;
      },
      get differences() {
        return (this.done?.since.differences ?? []).map((each, n) => ({
          key: `${n}`,
          name: each.name,
          text: `${each.what} ${each.before} → ${each.after}`,
          class: each.worse === null ? "" : each.worse ? "lost" : "kept",
        }));
      },
      get changedSince() {
        return (this.done?.since.changes ?? []).map((each, n) => ({
          key: `${n}`,
          text: `${each.what} ${each.name}, ${each.deleted ? "deleted" : `revision ${each.number}`}: ${each.why}`,
        }));
      },

      // ---- what is expected ----

      get mayExpect() {
        return (
          may("engineer") &&
          this.picked?.kind === "order" &&
          this.picked.of.from_s !== null &&
          this.causeOf(this.picked.of)
        );
      },
      causeOf(order) {
        if (typeof order.event === "string") return { compound: order.event };
        for (const place of this.done.places)
          for (const lane of place.lanes)
            if (lane.events.some(([index]) => index === order.event)) return { detector: lane.name };
        return null;
      },
      nameFor(order) {
        const cause = this.causeOf(order);
        return cause ? `${Object.values(cause)[0]}: ${order.on}` : "";
      },
      async expectIt() {
        const { of } = this.picked;
        const within_s = Number(this.within);
        const must = [{ do: of.do, on: of.on, within_s: Number.isFinite(within_s) ? within_s : this.within }];
        await this.attempt(() => ask("POST", "/expectations", { name: this.name, when: this.causeOf(of), must }));
      },
      async forget(expected) {
        await this.attempt(() => ask("DELETE", `/expectations?name=${encodeURIComponent(expected.expectation)}`));
      },
      async attempt(work) {
        this.trouble = "";
        try {
          await work();
          await this.play();
        } catch (error) {
          this.trouble = error.message;
        }
      },
      get noExpectations() {
        return (this.done?.expectations ?? []).length === 0;
      },
      get expectations() {
        return (this.done?.expectations ?? []).map((e) => ({
          ...e,
          class: e.result.replace(" ", "-"),
          dropLabel: `Expect ${e.expectation} no more`,
        }));
      },
      get loadText() {
        if (!this.done) return "";
        const { count, per_10_min, worst, worst_s, word, floods } = this.done.load;
        if (per_10_min === null) return word;
        const flood = floods ? `, ${floods} ${floods === 1 ? "flood" : "floods"}` : "";
        const at = worst_s === null ? "" : ` at ${this.clock(worst_s)}`;
        const mean = `${count} alarms, ${per_10_min.toFixed(1)} in ten minutes: ${word}.`;
        return `${mean} At worst ${worst} in ten minutes${at}${flood}.`;
      },
      get loadFirst() {
        const first = this.done?.load.first ?? [];
        return first.length ? `Most come by ${first.map(([name, count]) => `${name} (${count})`).join(", ")}.` : "";
      },

      // ---- the drawing ----

      whole() {
        const spans = this.done?.spans ?? [];
        if (!spans.length) return;
        const [from, to] = [Math.min(...spans.map(([a]) => a)), Math.max(...spans.map(([, b]) => b))];
        const edge = (to - from) * 0.02;
        this.show(from - edge, to + edge);
      },
      show(from, to) {
        this.view = [from, to];
        this.draw();
      },
      secondsAt(event) {
        const box = this.$refs.lanes.getBoundingClientRect();
        const x = ((event.clientX - box.left) / box.width) * WIDTH;
        const [from, to] = this.view;
        return from + ((x - LEFT) / (WIDTH - LEFT)) * (to - from);
      },
      zoom(event) {
        const at = this.secondsAt(event);
        const factor = event.deltaY > 0 ? MORE : 1 / MORE;
        const [from, to] = this.view.map((each) => at + (each - at) * factor);
        if (to - from >= LEAST_S && to - from < 400 * DAY_S) this.show(from, to);
      },
      grab(event) {
        held = { at: this.secondsAt(event), x: event.clientX, view: [...this.view] };
      },
      pull(event) {
        if (!held || Math.abs(event.clientX - held.x) < 4) return;
        const box = this.$refs.lanes.getBoundingClientRect();
        const [from, to] = held.view;
        const by = (((event.clientX - held.x) / box.width) * WIDTH * (to - from)) / (WIDTH - LEFT);
        this.show(from - by, to - by);
      },
      drop() {
        held = null;
      },
      draw() {
        if (this.done) redraw(this.$refs.lanes, drawn(this.$refs.lanes, this));
      },
    });
  });
});

const GLYPHS = {
  hit: "M0-5 5 0 0 5-5 0Z",
  false: "M-4-4 4 4M4-4-4 4",
  repeat: "M0-2.5A2.5 2.5 0 1 1 0 2.5 2.5 2.5 0 1 1 0-2.5Z",
  ignored: "M-4-4H4V4H-4Z",
  plain: "M0-3.4A3.4 3.4 0 1 1 0 3.4 3.4 3.4 0 1 1 0-3.4Z",
};

function drawn(svg, page) {
  const { done, view, picked } = page;
  const [from, to] = view;
  const x = (s) => LEFT + ((s - from) / (to - from)) * (WIDTH - LEFT);
  const there = (a, b) => b >= from && a <= to;
  const out = [];
  let y = TOP;
  const over = (part, kind, of) => {
    part.addEventListener("click", () => page.pick(kind, of));
    return part;
  };
  const chosen = (of) => (picked && picked.of === of ? " chosen" : "");
  const lane = (words, style = "") => {
    out.push(el("line", { class: "lane", x1: LEFT, x2: WIDTH, y1: y + LANE, y2: y + LANE }));
    out.push(el("text", { class: `name ${style}`, x: 8, y: y + 12 }, words));
  };
  for (const [a, b] of done.spans)
    if (there(a, b))
      out.push(el("rect", { class: "take", x: x(a), y: TOP, width: Math.max(x(b) - x(a), 1), height: "100%" }));
  for (const place of done.places) {
    out.push(el("text", { class: "place", x: 0, y: y + 13 }, place.name));
    y += HEAD;
    for (const own of place.lanes) {
      lane(`${own.code} ${own.name}`);
      for (const mark of own.marks)
        if (there(mark[0], mark[1])) {
          const [a, b, label, hit] = mark;
          const style = `mark ${label} ${label === "expect" && !hit ? "missed" : ""}`;
          const box = { x: x(a), y: y + 2, width: Math.max(x(b) - x(a), 2), height: LANE - 4 };
          out.push(over(el("rect", { class: style, ...box }), "mark", { lane: own, mark }));
        }
      for (const event of own.events)
        if (there(event[1], event[1])) {
          const [, at, verdict, asleep] = event;
          const style = `raise ${verdict}${asleep ? " asleep" : ""}${chosen(event)}`;
          const turn = `translate(${x(at)} ${y + LANE / 2})`;
          out.push(
            over(el("path", { class: style, d: GLYPHS[verdict], transform: turn }), "event", { lane: own, event }),
          );
        }
      y += LANE;
    }
  }
  const compounds = [...new Set(done.compounds.map((c) => c.compound))];
  if (compounds.length || done.lanes.length) {
    out.push(el("text", { class: "place", x: 0, y: y + 13 }, "What came of it"));
    y += HEAD;
  }
  for (const name of compounds) {
    lane(name, "compound");
    for (const c of done.compounds.filter((each) => each.compound === name && there(each.raised_s, each.raised_s)))
      out.push(
        el("path", {
          class: c.asleep ? "raise compound asleep" : "raise compound",
          d: GLYPHS.hit,
          transform: `translate(${x(c.raised_s)} ${y + LANE / 2})`,
        }),
      );
    y += LANE;
  }
  for (const name of done.lanes) {
    lane(name);
    for (const o of done.orders.filter((each) => each.lane === name)) {
      const a = o.from_s ?? o.at_s;
      const b = o.from_s === null ? a : (o.to_s ?? to);
      if (!there(a, b)) continue;
      const style = `order ${o.result}${chosen(o)}`;
      const box = { x: x(Math.max(a, from)), y: y + 3, height: LANE - 6 };
      out.push(
        over(
          el(
            "rect",
            { class: style, ...box, width: Math.max(x(Math.min(b, to)) - box.x, 3) },
            el("title", {}, RESULTS[o.result] || o.link),
          ),
          "order",
          o,
        ),
      );
    }
    y += LANE;
  }
  const step = STEPS_S.find((each) => (to - from) / each <= 9) ?? DAY_S;
  for (let t = Math.ceil(from / step) * step; t <= to; t += step) {
    out.push(el("line", { class: "tick", x1: x(t), x2: x(t), y1: TOP - 3, y2: y }));
    out.push(el("text", { class: "tick", x: x(t), y: 10 }, page.clock(t).slice(0, step < 60 ? 8 : 5)));
  }
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${y + 6}`);
  return out;
}
