// What a head does by itself: every change is judged by the server over a day; nothing is worked out here.
import { ask, latest, pageData } from "/static/js/http.js";
import { joined } from "/static/js/parts.js";
import { may } from "/static/js/roles.js";
import { short } from "/static/js/svg.js";
import { stepOf } from "/static/js/undo.js";
import { numberOf } from "/static/js/units.js";
import { drawLanes, drawPlan, drawSphere, lasting, oclock, strip } from "./charts.js";
import { drawRibbon } from "./ribbon.js";
import { rounds } from "./rounds.js";
import { runs } from "./runs.js";

const HOLDERS = {
  dropped: "dropped",
  manual: "by hand",
  call: "calls",
  timetable: "its hours",
  idle: "idle",
  none: "nothing",
};
const MOST_HOLDERS = 1;
const DAY_S = 86400;
const WEEKDAY = { weekday: "short", day: "numeric", month: "short" };
const copy = (value) => JSON.parse(JSON.stringify(value));

document.addEventListener("alpine:init", () => {
  window.Alpine.data("duty", () => {
    const data = pageData();
    const at = `/devices/${data.device}/duty`;
    let plan = data.plan;
    let refs = null; // of the whole page: those of a pressed button are gone with it
    let dragged = null; // the sheet before a stay was taken hold of
    const past = [];
    const future = [];
    // What a change gives comes first, and what other values would give once nothing newer waits.
    const newest = latest(async (page, waits) => {
      try {
        const asked = { sheet: page.sheet, spot: page.judged.chosen ?? null, ...page.dayAsked };
        page.judged = { ...(await ask("POST", `${at}/judge`, asked)), strips: page.judged.strips ?? [] };
        page.trouble = "";
        page.draw();
        if (waits() || page.isAsItWas) return;
        page.judged = await ask("POST", `${at}/judge`, { ...asked, strips: true });
        page.draw();
      } catch (error) {
        page.trouble = error.message;
      }
    });
    return joined(rounds(), runs(at), {
      sheet: data.sheet,
      days: data.days,
      day: "",
      presets: data.presets,
      log: data.log.map(([time, by, what, because]) => [
        time,
        [HOLDERS[by] ?? by, what, because].filter(Boolean).join(": "),
      ]),
      timetables: data.timetables,
      judged: data.judged,
      trouble: data.judged.error ?? "",
      mayChange: may("engineer"),
      canUndo: false,
      canRedo: false,

      async init() {
        refs = this.$refs;
        plan = await ask("GET", "/plan.json");
        this.draw();
        this.resume();
        addEventListener("resize", () => this.draw());
        addEventListener("beforeunload", (event) => {
          if (this.canUndo) event.preventDefault();
        });
      },

      // ---- what was changed ----

      // The page keeps every state; the newest is judged, those in between are skipped.
      became(sheet) {
        past.push(copy(this.sheet));
        future.length = 0;
        this.show(sheet);
      },
      show(sheet) {
        this.sheet = sheet;
        this.canUndo = past.length > 0;
        this.canRedo = future.length > 0;
        this.judge();
      },
      undo() {
        if (!past.length) return;
        future.push(copy(this.sheet));
        this.show(past.pop());
      },
      redo() {
        if (!future.length) return;
        past.push(copy(this.sheet));
        this.show(future.pop());
      },
      key(event) {
        const step = stepOf(event);
        if (step) this[step]();
      },
      judge() {
        return newest(this);
      },
      async save() {
        try {
          await ask("POST", at, this.sheet);
          past.length = 0;
          future.length = 0;
          this.show(this.sheet);
        } catch (error) {
          this.trouble = error.message;
        }
      },
      change(part) {
        this.became({ ...copy(this.sheet), ...part });
      },
      changeMade(part) {
        this.change({ made_up: { ...this.sheet.made_up, ...part } });
      },
      // A stay that is dragged: judged as it goes, and one state once it is let go.
      dragStay(n, stop, stay, isOver) {
        dragged ??= copy(this.sheet);
        const next = copy(this.sheet);
        next.rounds[n].stops[stop].stay_s = stay;
        if (isOver) {
          this.sheet = dragged;
          dragged = null;
          if (this.sheet.rounds[n].stops[stop].stay_s !== stay) this.became(next);
          return;
        }
        this.sheet = next;
        this.judge();
      },
      changeHours(n, part) {
        const hours = copy(this.sheet.hours);
        Object.assign(hours[n], part);
        this.change({ hours });
      },
      dropHours(n) {
        this.change({ hours: this.sheet.hours.filter((_, other) => other !== n) });
      },
      addHours() {
        this.change({ hours: [...this.sheet.hours, { timetable: this.timetables[0], do: this.doings[0][0] }] });
      },
      wish(name, seconds) {
        const wishes = { ...this.sheet.wishes };
        if (seconds === null) delete wishes[name];
        else wishes[name] = seconds;
        this.change({ wishes });
      },
      set(key, value) {
        if (key in this.sheet) this.change({ [key]: value });
        else {
          const rounds = copy(this.sheet.rounds);
          rounds.forEach(({ stops }) => stops.forEach((stop) => Object.assign(stop, { [key]: value })));
          this.change({ rounds });
        }
      },
      take({ key, value }) {
        this.set(key, value);
      },

      // ---- words ----

      get doings() {
        return [...this.sheet.rounds.map(({ name }) => [name, name]), ...this.presets];
      },
      get findings() {
        return this.judged.findings ?? [];
      },
      // Those that are wished for first, then by how long they go unseen; what is never seen is named in one line.
      get spots() {
        const shown = (this.judged.spots ?? []).filter(({ times, wish_s: wished }) => times || wished !== null);
        const rank = ({ wish_s: wished, longest_s: gap }) => (wished === null ? 0 : 1e9) + gap;
        return shown.toSorted((a, b) => rank(b) - rank(a));
      },
      get neverSeen() {
        return (this.judged.spots ?? []).filter(({ times, wish_s: wished }) => !times && wished === null);
      },
      get cures() {
        return this.judged.cures ?? [];
      },
      get headText() {
        if (!this.judged.lanes) return "";
        const { calls, lost, span } = this.judged;
        const [from, to] = span.map((s) => (s >= DAY_S ? "24:00" : oclock(s)));
        const when = this.day ? `${from} to ${to}: ` : "";
        return `${when}${calls} calls, ${lost} dropped`;
      },
      // "", "was 2026-03-02": as it was, "calls 2026-03-02": this sheet, asked of what called then.
      get dayAsked() {
        const [word, on] = this.day.split(" ");
        return on ? { on, as_it_was: word === "was" } : {};
      },
      get dayChoices() {
        return this.days.flatMap((on) => {
          const said = new Date(`${on}T12:00`).toLocaleDateString("en-GB", WEEKDAY);
          return [
            [`was ${on}`, `${said}, as it was`],
            [`calls ${on}`, `the calls of ${said}`],
          ];
        });
      },
      get isAsItWas() {
        return this.day.startsWith("was");
      },
      chooseDay(day) {
        this.day = day;
        this.judge();
      },
      get cureless() {
        const spot = this.spots.find(({ name }) => name === this.judged.chosen);
        if (this.isAsItWas || !spot || spot.word !== "fail" || this.cures.length) return "";
        return `None of these numbers alone would do. Its longest time unseen is spent so: ${this.whoText(spot, 3)}.`;
      },
      get stripsTitle() {
        return this.judged.chosen ? `${this.judged.chosen}: unseen at most, by` : "";
      },
      presetName({ preset }) {
        return `preset ${preset}`;
      },
      numberIn(text) {
        return numberOf(String(text).replace("preset ", ""));
      },
      percent(share) {
        return short(share * 100, 3);
      },
      share(text) {
        const found = numberOf(text);
        return found === null ? null : found / 100;
      },
      spotClass({ name, word }) {
        return `${word} ${name === this.judged.chosen ? "chosen" : ""}`;
      },
      shareText({ share }) {
        return `${short(share * 100, 3)} %`;
      },
      pxText({ px_per_m: px }) {
        return px === null ? "" : short(px, 3);
      },
      gapText(spot) {
        return spot.times ? `${lasting(spot.longest_s)} from ${oclock(spot.from_s)}` : "all day";
      },
      wishLabel({ name }) {
        return `${name} unseen for so many s at most`;
      },
      whoText({ who }, most = MOST_HOLDERS) {
        const parts = Object.entries(who).sort(([, a], [, b]) => b - a);
        return parts
          .slice(0, MOST_HOLDERS)
          .map(([by, s]) => `${HOLDERS[by]} ${lasting(s)}`)
          .join(", ");
      },
      cureText({ title, value, longest_s: gap }) {
        return `${title}: ${value} would do, ${lasting(gap)}.`;
      },

      // ---- drawings ----

      drawRibbons() {
        for (const svg of document.querySelectorAll(".duty svg.ribbon")) {
          const n = Number(svg.dataset.round);
          const round = this.sheet.rounds[n];
          const found = round && this.judged.rounds?.[round.name];
          if (found)
            drawRibbon(svg, round, found.looks, (stop, stay, over) => {
              if (this.mayChange) this.dragStay(n, stop, stay, over);
            });
        }
      },
      choose(name) {
        this.judged = { ...this.judged, chosen: name };
        this.judge();
      },
      draw() {
        if (!this.judged.lanes) {
          drawPlan(refs.plan, plan, { spots: [] }, null, () => {});
          return;
        }
        drawPlan(refs.plan, plan, this.judged, this.judged.chosen, (name) => this.choose(name));
        drawSphere(refs.sphere, this.judged.rounds);
        this.$nextTick(() => this.drawRibbons());
        drawLanes(refs.lanes, this.judged, this.judged.chosen);
        const wish = this.sheet.wishes[this.judged.chosen] ?? null;
        refs.strips.replaceChildren(
          ...this.judged.strips.map((each) => {
            const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
            svg.dataset.dial = each.key;
            svg.setAttribute("role", "img");
            svg.setAttribute("aria-label", `Strip of: ${each.title}`);
            strip(svg, each, wish, (value) => this.mayChange && this.set(each.key, value));
            return svg;
          }),
        );
      },
    });
  });
});
