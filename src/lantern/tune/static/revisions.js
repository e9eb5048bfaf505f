import { ask } from "/static/js/http.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("revisions", () => ({
    trouble: "",
    async restore(number) {
      try {
        const { detector, base } = this.$root.dataset;
        await ask("POST", `/bench/${detector}/restore/${number}?base=${base}`);
        location.href = location.pathname;
      } catch (error) {
        this.trouble = error.message;
      }
    },
  }));
});
