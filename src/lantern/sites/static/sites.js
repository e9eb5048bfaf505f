// The demo is set up by a worker: begin, follow, cancel; survives a reload, for the server holds the state.
import { ask, pageData } from "/static/js/http.js";

const WORDS = {
  waiting: "waiting for the worker",
  running: "simulating its takes",
  done: "it is here",
  cancelled: "cancelled, nothing was stored",
  failed: "it failed; the log says why",
  refused: "refused",
};

document.addEventListener("alpine:init", () => {
  window.Alpine.data("demo", () => ({
    job: pageData().job,
    trouble: "",
    init() {
      if (this.open) this.follow();
    },
    get open() {
      return this.job?.open ?? false;
    },
    get done() {
      return this.job?.done ?? 0;
    },
    get total() {
      return this.job?.total || 1;
    },
    get words() {
      if (!this.job || (!this.job.open && this.job.state === "done")) return "";
      return this.job.state === "running"
        ? `${WORDS.running} ${Math.round((100 * this.done) / this.total)} %`
        : WORDS[this.job.state];
    },
    async begin() {
      await this.try(async () => {
        this.job = await ask("POST", "~/sites/demo");
        this.follow();
      });
    },
    async cancel() {
      await this.try(async () => {
        this.job = await ask("POST", `~/sites/jobs/${this.job.id}/cancel`);
      });
    },
    async follow() {
      while (this.open) {
        await new Promise((go) => setTimeout(go, 400));
        await this.try(async () => {
          this.job = await ask("GET", `~/sites/jobs/${this.job.id}`);
        });
        if (this.trouble) return;
      }
      if (this.job.state === "done") location.href = `/sites/${this.job.site_id}/survey`;
    },
    async try(work) {
      this.trouble = "";
      try {
        await work();
      } catch (error) {
        this.trouble = error.message;
      }
    },
  }));
});
