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
    laysOnPlan: false, // what moves in a picture can be laid on the plan
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
    // Files chosen at once are one take, but for zips: each of several is one, with its sidecar where that was chosen
    // too.
    async choose(list) {
      const files = [...list];
      const zips = files.filter((f) => !f.webkitRelativePath && f.name.toLowerCase().endsWith(".zip"));
      if (zips.length < 2) return this.upload(files);
      const ofZip = (zip) => files.filter((f) => f === zip || f.name === `${zip.name}.json`);
      const groups = zips.map(ofZip);
      groups.push(files.filter((f) => !groups.some((group) => group.includes(f))));
      for (const group of groups) await this.upload(group);
    },
    async upload(files) {
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
    // Until none is under way; then what was stored is shown, and no upload of another is cut off by it.
    async follow() {
      const followed = (job) => this.moving(job) && job.state !== "uploading";
      let stored = null;
      while (this.jobs.some((job) => this.moving(job))) {
        await new Promise((go) => setTimeout(go, 250));
        for (const job of this.jobs.filter(followed)) {
          try {
            const now = await ask("GET", `/takes/imports/${job.id}`);
            this.put(now);
            if (now.state === "done") stored = now.take;
          } catch (error) {
            this.trouble = error.message;
            return;
          }
        }
      }
      if (stored === null) return;
      location.hash = `take-${stored}`;
      location.reload();
    },
    async cancel(job) {
      try {
        this.put(await ask("POST", `/takes/imports/${job.id}/cancel`));
      } catch (error) {
        this.trouble = error.message;
      }
    },
    // A large take is made a zip by the worker, and fetched once it is whole.
    made: {},
    making(take) {
      return this.made[take]?.open === true;
    },
    madeOf(take) {
      return this.made[take]?.done ?? 0;
    },
    makingText(take) {
      const { state, done, total } = this.made[take] ?? {};
      return state === "running" && total ? `${Math.round((100 * done) / total)} %` : "waiting for the worker";
    },
    async asFiles(take) {
      try {
        this.made[take] = await ask("POST", `/takes/${take}/exports`);
        while (this.making(take)) {
          await new Promise((go) => setTimeout(go, 400));
          this.made[take] = await ask("GET", `/takes/exports/${this.made[take].id}`);
        }
        const { id, state, faults } = this.made[take];
        if (state === "done") location.href = address(`/takes/exports/${id}/take.zip`);
        else if (state !== "cancelled")
          this.trouble = faults.map((f) => `${f.what}; expected ${f.expected}`).join("\n");
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async stopMaking(take) {
      try {
        this.made[take] = await ask("POST", `/takes/exports/${this.made[take].id}/cancel`);
      } catch (error) {
        this.trouble = error.message;
      }
    },
    startMove(take, signal) {
      this.moved = take;
      this.laysOnPlan = signal === "tracks";
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
    async layOnPlan() {
      try {
        await ask("POST", `/takes/${this.moved}/on-plan`, { device_id: Number(this.target) });
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
      try {
        const { name, device, goes } = await ask("GET", `/takes/${take}/goes`);
        const along = goes.length ? ` With it go ${goes.join(", ")}.` : "";
        if (!confirm(`Delete ${name} of ${device}?${along} Nothing of that comes back.`)) return;
        await ask("DELETE", `/takes/${take}`);
        location.reload();
      } catch (error) {
        this.trouble = error.message;
      }
    },
  }));
});
