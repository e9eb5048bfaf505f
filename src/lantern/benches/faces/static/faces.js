// Faces on the bench: whose scores are shown, the threshold that is dragged, what it costs, who was taken for whom.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { address } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";
import { Strip } from "/static/tune/strip.js";
import { Det, Growth, Lookalikes, ScoreChart } from "./charts.js";

const DECIMALS = 2; // of a threshold that is dragged

export const faces = ({ data, drawn, shown }) => {
  for (const tab of ["people", "groups"]) shown[tab] = (page) => page.fetchPeople();
  shown.look = (page) => page.fetchLook();
  shown.lists = (page) => page.fetchLists();
  return {
    curves: null,
    works: [],
    place: 0,
    look: null,
    lookAsked: null,
    allPeople: null,
    byList: {}, // of each list its strip, and its rates by take

    startView() {
      drawn.scores = new ScoreChart(this.$refs.scores, { move: (value, done) => this.moveThreshold(value, done) });
      drawn.det = new Det(this.$refs.det);
      drawn.growth = new Growth(this.$refs.growth);
      addEventListener("resize", () => this.drawCurves());
    },
    fetchOnce() {
      this.judgeFirst().catch((error) => this.explain(error));
    },
    // What is drawn while a hand moves. The curves stay as long as the lists do.
    async judgeFirst() {
      const lists = JSON.stringify(this.own.lists);
      const parts = this.curvesOf === lists ? ["working"] : ["curves", "working"];
      const answer = await this.post(parts, { wishes: this.wished });
      if (answer.curves) {
        this.curves = answer.curves;
        this.curvesOf = lists;
      }
      this.showWorking(answer.working);
    },
    showWorking({ lists }) {
      this.works = lists;
      if (this.tab === "lists") this.$nextTick(() => this.drawLists());
      this.place = Math.min(this.place, Math.max(this.works.length - 1, 0));
      this.drawCurves();
    },
    drawCurves() {
      this.drawHeldOff();
      if (!this.curve || !this.work) return;
      drawn.scores.draw(this.curves, this.place, this.works);
      drawn.det.draw(this.curves, this.place, this.works);
      drawn.growth.draw(this.work);
    },
    // Who comes when: each raise holds its candidate off for a while.
    drawHeldOff() {
      const held = this.work?.held ?? [];
      if (!drawn.axis || (!held.length && !drawn.axis.lanes.includes("held off"))) return;
      if (!drawn.axis.lanes.includes("held off")) drawn.axis.lanes.push("held off");
      drawn.axis.set({ held });
    },
    evidenceRenewed() {
      if (this.tab === "people" || this.tab === "groups") this.fetchPeople();
      if (this.tab === "look") this.fetchLook();
      if (this.tab === "lists") this.fetchLists();
    },
    stripParts: ["strips", "working"], // what is wished changes both
    restPosts({ working }) {
      if (working) this.showWorking(working);
    },

    get curve() {
      return this.curves?.lists[this.place] ?? null;
    },
    get work() {
      return this.works[this.place] ?? null;
    },
    get people() {
      return this.allPeople?.lists[this.place] ?? null;
    },
    choosePlace(at) {
      this.place = at;
      this.drawCurves();
    },

    // ---- thresholds ----

    ownThreshold(name) {
      return this.own.thresholds?.[name] ?? "";
    },
    // Of the list that is shown: its own threshold, where it has one here, else the dial.
    moveThreshold(value, done) {
      if (this.own.thresholds?.[this.work.name] !== undefined) return this.moveOwn(this.work.name, value, done);
      this.chosenDial = "threshold";
      this.setDial("threshold", Number(value.toFixed(DECIMALS)), !done);
      return done && this.settle();
    },
    moveOwn(name, value, done) {
      const rounded = Number(value.toFixed(DECIMALS));
      if (!this.dragged) this.remember();
      this.dragged = !done;
      this.own = { ...this.own, thresholds: { ...this.own.thresholds, [name]: rounded } };
      if (done) this.settle();
      else this.judgeSoon();
    },
    nudgeThreshold(by) {
      if (this.work) this.moveThreshold(this.work.threshold + by * 0.5, true);
    },
    typeThreshold(name, text) {
      const value = numberOf(text);
      const rest = Object.fromEntries(Object.entries(this.own.thresholds ?? {}).filter(([key]) => key !== name));
      this.remember();
      this.own = { ...this.own, thresholds: value === null || text.trim() === "" ? rest : { ...rest, [name]: value } };
      this.refresh();
    },
    takeWished(l) {
      this.typeThreshold(l.name, String(l.wished.threshold));
    },

    // ---- the strip of each list ----

    async fetchLists() {
      try {
        const { lists } = (await this.post(["lists"], { wishes: this.wished })).lists;
        this.byList = Object.fromEntries(lists.map((each) => [each.name, each]));
        this.$nextTick(() => this.drawLists());
      } catch (error) {
        this.explain(error);
      }
    },
    drawLists() {
      for (const svg of this.$root.querySelectorAll("svg[data-list]")) {
        const name = svg.dataset.list;
        const strip = this.byList[name]?.strip;
        if (!strip) continue;
        svg.strip ??= new Strip(svg, { move: (value, done) => this.moveOwn(name, value, done) });
        svg.strip.draw(strip, this.works.find((l) => l.name === name)?.threshold ?? strip.low);
      }
    },
    offerOfList(name) {
      return this.byList[name]?.strip?.offer ?? "";
    },
    restOfList(name) {
      return this.byList[name]?.strip?.rest ?? "";
    },
    takeOffer(name) {
      this.typeThreshold(name, String(this.byList[name].strip.proposed));
    },
    takesOfList(name) {
      return this.byList[name]?.takes ?? [];
    },
    versionsText(name) {
      const versions = [...new Set(this.takesOfList(name).map((t) => t.algorithm ?? "not known"))];
      return versions.length > 1 ? `Scores of ${versions.join(" and ")} are not to be compared with each other.` : "";
    },

    // ---- lists ----

    get otherLists() {
      const named = (this.own.lists ?? []).map((held) => held.name ?? held);
      return Object.keys(data.siteLists).filter((name) => !named.includes(name));
    },
    setLists(lists) {
      this.remember();
      const names = lists.map((held) => held.name ?? held);
      const kept = Object.entries(this.own.thresholds ?? {}).filter(([name]) => names.includes(name));
      this.own = { ...this.own, lists, thresholds: Object.fromEntries(kept) };
      this.refresh();
    },
    readList(name) {
      this.setLists([...(this.own.lists ?? []), name]);
    },
    dropList(at) {
      this.setLists(this.own.lists.filter((_, i) => i !== at));
    },

    // ---- words ----

    listLine(l) {
      return `${short(l.threshold)}: ${this.falseText(l, "false")}`;
    },
    // A take that is shorter than a shift says nothing of a day.
    falseText(l, what) {
      return l.false_a_day === null ? `${l.false} ${what} in this take` : `${short(l.false_a_day, 3)} ${what} a day`;
    },
    membersText(l) {
      return l.members === 1 ? "1 member" : `${l.members} members`;
    },
    percent(share) {
      return `${short(100 * share, 3)} %`;
    },
    // When the list becomes ten times as long.
    get growthText() {
      const grown = this.work?.growth;
      const members = this.work?.members ?? 0;
      if (!grown || !members) return "";
      const nearest = (n) =>
        grown.sizes.reduce((best, size, i) => (Math.abs(size - n) < Math.abs(grown.sizes[best] - n) ? i : best), 0);
      const [now, then] = [nearest(members), nearest(10 * members)];
      const about = (measured) => (measured ? "" : ", extrapolated");
      const [aDay, measured] = [(at) => short(grown.a_day[at], 2), about(grown.measured[then])];
      const parts = [
        `If ${members} become ${10 * members}: ${aDay(now)} → ${aDay(then)} false matches a day${measured}`,
      ];
      if (grown.missed[now] !== null) {
        const missed = (at) => this.percent(grown.missed[at]);
        const seen = about(grown.missed_measured[then]);
        parts.push(`missed ${missed(now)} → ${missed(then)} of members' looks${seen}`);
      }
      return `${parts.join("; ")}.`;
    },
    shareText(share) {
      return share ? `${this.percent(share.share)} (${this.percent(share.low)} to ${this.percent(share.high)})` : "–";
    },
    rateText(share) {
      return share ? this.percent(share.share) : "–";
    },
    intervalText(share) {
      return share ? `${short(100 * share.low, 2)} to ${this.percent(share.high)}` : "";
    },
    get saysText() {
      const w = this.work;
      if (!w) return "";
      const told = (column) => w.false_by.filter(([name, , n]) => name === column && n).length > 1;
      const by = w.false_by.filter(([column, , n]) => n && told(column)).map(([, word, n]) => `${n} ${word}`);
      const parts = [`At ${short(w.threshold)}: ${this.falseText(w, "false alarms")}`];
      if (w.passers !== null) parts[0] += ` of ${w.passers} passers`;
      if (w.false && by.length) parts[0] += ` (${by.join(", ")})`;
      if (w.fnmr) parts.push(`${w.fnmr.errors} of ${w.fnmr.of} looks of members missed`);
      if (w.right) parts.push(`${w.right} announced rightly`);
      parts.push(
        w.fmr
          ? `false matches ${this.shareText(w.fmr)} of ${w.fmr.of} comparisons`
          : "its lists of candidates are cut: no rate of false matches",
      );
      return `${parts.join("; ")}.`;
    },
    // Faces that the device saw and could compare with nobody: what a place gets is worse by them.
    get failuresText() {
      const [fta, w] = [this.curves?.failures, this.work];
      if (!fta || !w) return "";
      const what = `${fta.errors} of ${fta.of} faces could be compared with nobody (${this.shareText(fta)})`;
      if (!w.fmr || !w.fnmr) return `${what}.`;
      const [accepted, refused] = [w.fmr.share * (1 - fta.share), fta.share + w.fnmr.share * (1 - fta.share)];
      const shares = `${this.percent(accepted)} are falsely accepted, ${this.percent(refused)} falsely refused`;
      return `${what}: of all attempts ${shares}.`;
    },
    get curveCautions() {
      return (this.curve?.cautions ?? []).join(". ");
    },
    // Only a summary: nobody should work where the errors are equal.
    get summaryText() {
      const { eer, d_prime: apart } = this.curve ?? {};
      if (!eer) return "";
      const far = apart === null ? "" : `; the two lie ${short(apart, 3)} standard deviations apart (d')`;
      const at = `${this.percent(eer[0])} at ${short(eer[1])}`;
      return `In short: both errors are ${at}${far}. A summary, no place to work at.`;
    },
    wishedText(l) {
      const w = l.wished;
      if (!w) return "";
      if (w.refused) return w.refused;
      const missed = w.fnmr ? `; it would miss ${this.shareText(w.fnmr)} of the looks of members` : "";
      const what = `${short(w.a_day, 3)} false a day wants ${short(w.threshold, 5)}${missed}.`;
      return w.extrapolated ? `${what} Extrapolated: this take cannot show it; ${w.needs}.` : what;
    },
    wishedClass(l) {
      return l.wished?.extrapolated || l.wished?.refused ? "bad" : "";
    },
    groupText(g) {
      const small = g.small ? ", few" : "";
      const fails =
        { fmr: "; more false matches than all others", fnmr: "; more misses than all others" }[g.fails] ?? "";
      return `${g.subjects} people${small}${fails}`;
    },
    mateText(mated) {
      return { 1: "the same person", 0: "another person" }[mated] ?? "not known";
    },
    get hasPictures() {
      return this.look !== null && (this.look.pictured || this.look.reference !== null);
    },
    get pictureOfLook() {
      return address(`/devices/${this.look.device}/looks/${encodeURIComponent(this.look.probe)}`);
    },
    get pictureOfReference() {
      return address(`/members/${encodeURIComponent(this.look.reference)}/portrait`);
    },
    get referenceText() {
      return `${this.look?.reference ?? ""}, as devices hold them`;
    },
    get lookText() {
      return Object.values(this.look.groups).join(", ");
    },

    // ---- panels ----

    async fetchPeople() {
      try {
        this.allPeople = (await this.post(["people"])).people;
        this.$nextTick(() => this.drawAlike());
      } catch (error) {
        this.explain(error);
      }
    },
    drawAlike() {
      const svg = this.$root.querySelector("svg.alike-chart");
      if (!svg || !this.people || !this.work || !this.curves) return;
      new Lookalikes(svg).draw(this.people.matrix, {
        threshold: this.work.threshold,
        scale: [this.curves.edges[0], this.curves.edges.at(-1)],
      });
    },
    showAt(t) {
      this.lookAsked = t;
      if (this.tab === "look" && !this.playing) this.fetchLook();
    },
    async fetchLook() {
      try {
        this.look = (await this.post(["look"], { also: { look_s: this.lookAsked ?? 0 } })).look;
      } catch (error) {
        this.explain(error);
      }
    },

    // ---- files ----

    exportDet(as) {
      if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.det, "errors");
      const { threshold, fmr, fnmr } = this.curve.det;
      return saveCsv(
        [["threshold", "fmr", "fnmr"], ...threshold.map((value, i) => [value, fmr[i], fnmr[i]])],
        "errors",
      );
    },
    exportGrowth(as) {
      if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.growth, "growth");
      const { sizes, a_day: day, measured, missed, missed_measured: seen } = this.work.growth;
      const head = ["members", "false matches a day", "measured", "share of members' looks missed", "measured"];
      return saveCsv([head, ...sizes.map((n, i) => [n, day[i], measured[i], missed[i], seen[i]])], "growth");
    },
  };
};
