// Studies: long work in the worker, followed by its row; among them revisions judged on a later take.
import { ask } from "/static/js/http.js";

const LOOK_MS = 300;

export const studies = ({ data, studied }) => {
  studied.rejudge = (page) => page.tab === "takes" && page.fetchTakes();
  return {
    studies: data.studies,

    startStudies() {
      for (const what of Object.keys(this.studies)) if (this.studies[what]?.open) this.follow(what);
    },
    study(what) {
      return this.studies[what] ?? null;
    },
    isOpen(what) {
      return this.studies[what]?.open === true;
    },
    // Why it cannot be asked for now.
    busyWith(what) {
      return this.isOpen(what) ? "It is being computed: Cancel ends it" : "";
    },
    isDone(what) {
      return this.studies[what]?.state === "done";
    },
    progressOf(what) {
      const s = this.studies[what];
      return s && s.total ? Math.round((100 * s.done) / s.total) : 0;
    },
    progressText(what) {
      const s = this.studies[what];
      return !s ? "" : s.state === "waiting" ? "waiting for the worker" : `${s.done} of ${s.total}`;
    },
    studyFaults(what) {
      return (this.studies[what]?.faults ?? []).map((f) => `${f.where}: ${f.what}; expected ${f.expected}`).join(". ");
    },
    async askStudy(what, extra = {}) {
      try {
        this.studies[what] = await ask("POST", `/bench/${data.detectorId}/studies`, {
          take: data.take.id,
          detector: this.draft,
          together: this.together,
          wishes: this.wished,
          what,
          ...extra,
        });
        this.trouble = "";
        await this.follow(what);
      } catch (error) {
        this.explain(error);
      }
    },
    async follow(what) {
      while (this.studies[what]?.open) {
        await new Promise((done) => setTimeout(done, LOOK_MS));
        this.studies[what] = await ask("GET", `/studies/${this.studies[what].id}`);
      }
      this.$nextTick(() => studied[what]?.(this));
    },
    async cancelStudy(what) {
      this.studies[what] = await ask("POST", `/studies/${this.studies[what].id}/cancel`);
    },

    // ---- what a later take said ----

    get rejudged() {
      const s = this.studies.rejudge;
      return s?.state === "done" ? s.result : null;
    },
  };
};
