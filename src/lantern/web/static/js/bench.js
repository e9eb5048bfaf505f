// The bench: the page's state, put together from its parts. No rule of the job is here; the server judges.
import { latest, pageData } from "./http.js";
import { dials } from "./bench/dials.js";
import { evidence } from "./bench/evidence.js";
import { marks } from "./bench/marks.js";
import { regions } from "./bench/regions.js";
import { saving } from "./bench/saving.js";
import { seeing } from "./bench/seeing.js";
import { studies } from "./bench/studies.js";

// Getters must stay getters, so properties are joined and not copied.
const join = (...parts) => parts.reduce((whole, part) => Object.defineProperties(whole, Object.getOwnPropertyDescriptors(part)), {});

document.addEventListener("alpine:init", () => {
  window.Alpine.data("bench", () => {
    const data = pageData();
    const context = {
      data,
      infos: Object.fromEntries(data.dials.map((d) => [d.name, d])),
      filled: (values) => Object.fromEntries(data.dials.map((d) => [d.name, values[d.name] === undefined ? d.default : values[d.name]])),
      drawn: { view: null, axis: null, strips: {}, map: null, pixels: {} }, // kept out of Alpine's sight: drawing needs no reactivity
    };
    const start = {
      tab: new URLSearchParams(location.search).get("tab") ?? "dials",
      trouble: "",
      init() {
        this.judgeSoon = latest(() => this.judge());
        this.stripsSoon = latest(() => this.fetchStrips());
        this.readingsSoon = latest(() => this.fetchReadings());
        this.showFrame = latest((index) => this.loadFrame(index));
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
        addEventListener("beforeunload", (event) => { if (this.changes > 0 && !this.leaving) event.preventDefault(); });
        this.$watch("tab", (tab) => { this.writeAddress(); if (tab === "takes") this.fetchTakes(); if (tab === "people") this.fetchPeople(); });
        if (this.tab === "takes") this.fetchTakes();
        if (this.tab === "people") this.fetchPeople();
      },
    };
    return join(start, dials(context), regions(context), marks(context), seeing(context), evidence(context), studies(context), saving(context));
  });
});
