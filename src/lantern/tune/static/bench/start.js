// A bench: the page's state, put together from its parts. No rule of the job is here; the server judges.
import { ask, latest, pageData } from "/static/js/http.js";
import { joined } from "/static/js/parts.js";
import { dials } from "./dials.js";
import { evidence } from "./evidence.js";
import { marks, noMarks } from "./marks.js";
import { map, noMap } from "./map.js";
import { keyboard } from "./keyboard.js";
import { regions } from "./regions.js";
import { saving } from "./saving.js";
import { studies } from "./studies.js";
import { noTimeline, timeline } from "./timeline.js";

// The common parts that the kind declares; what stands in for another does nothing.
const MOST_TABS = 7; // in one line; more are behind its last place
const declared = ({ axis, truth, evidence: shown }) => [
  axis && truth.includes("marks") ? marks : noMarks,
  axis ? timeline : noTimeline,
  shown.includes("map") ? map : noMap,
];

// What a bench of a family may bring and need not.
const quiet = () => ({
  stripParts: ["strips"],
  regionOptions: {}, // what else a region has, each with how it is shown
  startView() {},
  showAt() {},
  drawView() {},
  fetchOnce() {},
  regionsChanged() {},
  regionChosen() {},
  restPosts() {}, // takes what was answered beside the strips
  holdsKeys: () => false, // an event of the keyboard is its own
});

// `own`: the parts of this bench, each a function of the context. `keys`: by key, what it does with the page and the
// step; `studied`: by the name of a study, what is done with the page when it ends; `shown`: by the name of a tab, what
// is done when it comes to sight; `addressed`: by a word of the address, what the page puts there. `judgeFirst`, what
// is
// drawn before the score, and `evidenceRenewed` may lack.
export function startBench(...own) {
  document.addEventListener("alpine:init", () => {
    window.Alpine.data("bench", () => {
      const data = pageData();
      const context = {
        data,
        infos: Object.fromEntries(data.dials.map((d) => [d.name, d])),
        filled: (values) =>
          Object.fromEntries(
            data.dials.map((d) => [d.name, values[d.name] === undefined ? d.default : values[d.name]]),
          ),
        drawn: { view: null, axis: null, strips: {}, map: null, pixels: {} },
        // kept out of Alpine's sight: drawing needs no reactivity
        keys: {},
        studied: {},
        shown: {},
        addressed: {},
      };
      const start = {
        tab: "dials",
        folded: [], // panels whose tabs have no room in the one line
        trouble: "",
        takeGone: false, // the take was deleted while this page lay open
        takesElse: false, // others came or went
        init() {
          const judgeSoon = latest((superseded) => this.judge(superseded));
          this.judgeSoon = () => {
            this.turn += 1;
            judgeSoon();
          };
          // the state has changed: what was asked beside the one before may end
          this.stripsSoon = latest((superseded) => this.fetchStrips(superseded));
          this.readingsSoon = latest(() => this.fetchReadings());
          this.readAddress();
          this.openAsked();
          this.foldTabs();
          this.resetTexts();
          this.startView();
          this.startAxis(data.readings);
          this.startStrips();
          this.startMap();
          this.startStudies();
          this.seek(Number(new URLSearchParams(location.search).get("t") ?? this.firstMoment()), true);
          this.stripsSoon();
          this.fetchOnce();
          if (this.changes > 0) this.refresh();
          document.addEventListener("keydown", (event) => this.key(event));
          for (const [target, what] of [
            [document, "visibilitychange"],
            [window, "focus"],
          ])
            target.addEventListener(what, () => this.lookAgain().catch((error) => this.explain(error)));
          addEventListener("beforeunload", (event) => {
            if (this.changes > 0 && !this.leaving) event.preventDefault();
          });
          this.$watch("tab", () => {
            this.writeAddress();
            this.tabShown();
          });
          this.tabShown();
        },
        // The page has lain behind another: a take may have come or gone meanwhile.
        async lookAgain() {
          if (document.hidden || this.takeGone) return;
          const { takes } = await ask("GET", `/bench/${data.detectorId}/takes`);
          this.takeGone = !takes.includes(data.take.id);
          const known = data.takes.map(({ id }) => id);
          if (this.takeGone || (takes.length === known.length && takes.every((id) => known.includes(id)))) return;
          this.takesElse = true;
          this.stripsSoon();
        },
        get addressOfOthers() {
          const url = new URL(location.href);
          url.searchParams.delete("take");
          return `${url.pathname}${url.search}`;
        },
        get addressNow() {
          return `${location.pathname}${location.search}`;
        },
        // The panel that the address asks for, if this bench has it.
        openAsked() {
          const asked = new URLSearchParams(location.search).get("tab");
          if (asked && document.getElementById(`tab-${asked}`)) this.tab = asked;
        },
        foldTabs() {
          const tabs = [...this.$refs.tabs.querySelectorAll("[role=tab]")];
          if (tabs.length <= MOST_TABS) return;
          this.folded = tabs.slice(MOST_TABS - 1).map((tab) => {
            tab.hidden = true;
            return { name: tab.id.replace(/^tab-/, ""), label: tab.textContent.trim() };
          });
        },
        get foldedOpen() {
          return this.folded.some(({ name }) => name === this.tab);
        },
        openFolded(select) {
          if (select.value) this.tab = select.value;
          else select.value = this.foldedOpen ? this.tab : "";
        },
        tabShown() {
          if (this.tab === "takes") this.fetchTakes();
          this.evidenceRenewed?.();
          this.$nextTick(() => context.shown[this.tab]?.(this));
        },
      };
      const common = [dials, regions, ...declared(data.frame), evidence, studies, saving, keyboard];
      return joined(start, quiet(), ...[...common, ...own].map((part) => part(context)));
    });
  });
}
