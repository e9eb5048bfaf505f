// A bench: the page's state, put together from its parts. No rule of the job is here; the server judges.
import { latest, pageData } from "/static/js/http.js";
import { dials } from "./dials.js";
import { evidence } from "./evidence.js";
import { marks } from "./marks.js";
import { regions } from "./regions.js";
import { saving } from "./saving.js";
import { studies } from "./studies.js";
import { timeline } from "./timeline.js";

// Getters must stay getters, so properties are joined and not copied.
const join = (...parts) =>
  parts.reduce((whole, part) => Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part)), {});

// `own`: the parts of this bench. Each is a function of the context; together they bring startView, showAt, drawView,
// fetchOnce, regionsChanged, regionChosen, regionOptions (what else a region has, each with how it is shown),
// stripParts
// and extraKeys; judgeFirst, what is drawn before the score, may lack.
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
      };
      const start = {
        tab: new URLSearchParams(location.search).get("tab") ?? "dials",
        trouble: "",
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
          this.resetTexts();
          this.startView();
          this.startAxis(data.readings);
          this.startStrips();
          this.startStudies();
          this.seek(Number(new URLSearchParams(location.search).get("t") ?? this.firstMoment()), true);
          this.stripsSoon();
          this.fetchOnce();
          if (this.changes > 0) this.refresh();
          document.addEventListener("keydown", (event) => this.key(event));
          addEventListener("beforeunload", (event) => {
            if (this.changes > 0 && !this.leaving) event.preventDefault();
          });
          this.$watch("tab", () => {
            this.writeAddress();
            this.tabShown();
          });
          this.tabShown();
        },
        tabShown() {
          if (this.tab === "takes") this.fetchTakes();
          this.evidenceRenewed?.();
        },
      };
      return join(
        start,
        dials(context),
        regions(context),
        marks(context),
        timeline(context),
        evidence(context),
        studies(context),
        saving(context),
        ...own.map((part) => part(context)),
      );
    });
  });
}
