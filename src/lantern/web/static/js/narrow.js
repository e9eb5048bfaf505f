// A list that has no room on a narrow screen becomes cards: each row one, each cell with the name of its column.
const LISTS = "table.ledger";
const NAMED = 3; // columns: of fewer each speaks for itself

function named(table) {
  const columns = [...(table.tHead?.rows[0]?.cells ?? [])].map((cell) => cell.textContent.trim());
  if (columns.length < NAMED) return;
  for (const row of table.tBodies[0]?.rows ?? [])
    [...row.cells].forEach((cell, n) => {
      if (n > 0 && columns[n] && cell.colSpan === 1) cell.dataset.column = columns[n];
    });
}

function fit(table) {
  table.classList.remove("cards");
  const room = table.parentElement.clientWidth;
  if (!room || table.offsetWidth <= room + 1) return;
  named(table);
  table.classList.add("cards");
}

const fitAll = () => {
  for (const table of document.querySelectorAll(LISTS)) fit(table);
};

// rows come and go, and panels are opened
let asked = 0;
const soon = () => {
  cancelAnimationFrame(asked);
  asked = requestAnimationFrame(fitAll);
};

const narrow = matchMedia("(max-width: 900px)");
const watching = new MutationObserver(soon);
const watch = () => {
  watching.disconnect();
  if (narrow.matches)
    watching.observe(document.body, { childList: true, subtree: true, attributeFilter: ["style", "hidden", "open"] });
  soon();
};
narrow.addEventListener("change", watch);
addEventListener("resize", () => narrow.matches && soon());
watch();
