// Light or dark: as chosen here before, else as the system says. Runs before the page is drawn.
(() => {
  const chosen = localStorage.getItem("lantern-scheme");
  if (chosen) document.documentElement.dataset.scheme = chosen;
})();
