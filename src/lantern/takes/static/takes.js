// Imports: upload in parts, follow the job, cancel; survives a reload, for the server holds the state.
import { address, ask, pageData } from "/static/js/http.js";

const PART = 4 * 1024 * 1024;
const WORDS = {
  asking: "needs some answers:",
  uploading: "uploading",
  waiting: "waiting for the worker",
  reading: "reading",
  done: "stored",
  refused: "refused, nothing was stored",
  cancelled: "cancelled, nothing was stored",
  failed: "failed, nothing was stored",
};

document.addEventListener("alpine:init", () => {
  window.Alpine.data("takes", () => ({
    jobs: pageData().imports,
    trouble: "",
    status: "",
    moved: 0,
    target: "",
    init() {
      if (this.jobs.some((job) => this.moving(job))) this.follow();
    },
    words(job) {
      const share = job.state === "reading" && job.total ? ` ${Math.round((100 * job.done) / job.total)} %` : "";
      return `${WORDS[job.state]}${share}`;
    },
    faultTitle(job) {
      return job.faults.length === 1 ? "One fault:" : `${job.faults.length} faults:`;
    },
    // under way: what asks waits for an answer, and what uploads is told by its own page
    moving(job) {
      return job.open && job.state !== "asking";
    },
    answered(job) {
      this.put(job);
      this.follow();
    },
    sidecarLink(job) {
      return address(`/takes/imports/${job.id}/sidecar.json`);
    },
    takeLink(job) {
      return `#take-${job.take}`;
    },
    put(job) {
      this.jobs = this.jobs.some((j) => j.id === job.id)
        ? this.jobs.map((j) => (j.id === job.id ? job : j))
        : [job, ...this.jobs];
    },
    async choose(list) {
      const files = [...list];
      if (!files.length) return;
      this.trouble = "";
      // a chosen folder's own name is not part of the take
      const name = (file) =>
        file.webkitRelativePath ? file.webkitRelativePath.split("/").slice(1).join("/") : file.name;
      const label = files[0].webkitRelativePath
        ? files[0].webkitRelativePath.split("/")[0]
        : (files.map((f) => f.name).filter((n) => !n.endsWith(".json"))[0] ?? files[0].name);
      try {
        const job = await ask("POST", "/takes/imports", { name: label });
        this.put(job);
        const total = files.reduce((sum, f) => sum + f.size, 0);
        let sent = 0;
        for (const file of files) {
          for (let part = 0; part === 0 || part * PART < file.size; part++) {
            if (this.jobs.find((j) => j.id === job.id)?.state === "cancelled") {
              this.status = "";
              return;
            }
            const data = file.slice(part * PART, (part + 1) * PART);
            await ask(
              "PUT",
              `/takes/imports/${job.id}/parts?file=${encodeURIComponent(name(file))}&part=${part}`,
              await data.arrayBuffer(),
              { raw: true },
            );
            sent += data.size;
            this.put({ ...this.jobs.find((j) => j.id === job.id), done: sent, total });
          }
        }
        this.put(await ask("POST", `/takes/imports/${job.id}/finish`));
        this.follow();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async follow() {
      const followed = (job) => this.moving(job) && job.state !== "uploading";
      while (this.jobs.some(followed)) {
        await new Promise((go) => setTimeout(go, 250));
        for (const job of this.jobs.filter(followed)) {
          try {
            const now = await ask("GET", `/takes/imports/${job.id}`);
            this.put(now);
            if (now.state === "done") {
              location.hash = `take-${now.take}`;
              location.reload();
              return;
            }
          } catch (error) {
            this.trouble = error.message;
            return;
          }
        }
      }
    },
    async cancel(job) {
      try {
        this.put(await ask("POST", `/takes/imports/${job.id}/cancel`));
      } catch (error) {
        this.trouble = error.message;
      }
    },
    startMove(take) {
      this.moved = take;
      this.trouble = "";
      this.target = this.$refs.move.querySelector("select").value;
      this.$refs.move.showModal();
    },
    async move() {
      try {
        await ask("PUT", `/takes/${this.moved}/device`, { device_id: Number(this.target) });
        location.reload();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async importMarks(take, files) {
      if (!files.length) return;
      try {
        const { added, in_file: count } = await ask("PUT", `/takes/${take}/marks.csv`, await files[0].arrayBuffer(), {
          raw: true,
        });
        this.status = `${added} of ${count} marks added; the others were there already.`;
        if (added) location.reload();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async remove(take) {
      if (!confirm("Delete this take with its frames and marks?")) return;
      try {
        await ask("DELETE", `/takes/${take}`);
        location.reload();
      } catch (error) {
        this.trouble = error.message;
      }
    },
  }));
});
