import { ask } from "./http.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("revisions", () => ({
    trouble: "",
    async restore(number) {
      try {
        await ask("POST", `/bench/${this.$root.dataset.detector}/restore/${number}`);
        location.href = location.pathname;
      } catch (error) { this.trouble = error.message; }
    },
  }));
});
