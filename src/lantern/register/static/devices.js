// Devices from a spreadsheet: what it would do, with every fault by its row, before anything is stored.
import { off } from "/static/js/controls.js";
import { ask } from "/static/js/http.js";
import { many } from "/static/js/units.js";

const dialog = document.getElementById("bring-in");
const file = document.getElementById("sheet");
const report = dialog.querySelector("[data-report]");
const store = dialog.querySelector("[data-store]");

const made = (tag, text, more = {}) => Object.assign(document.createElement(tag), { textContent: text, ...more });
const send = async (stored) =>
  ask(
    "POST",
    `/devices/table?store=${stored}&name=${encodeURIComponent(file.files[0].name)}`,
    await file.files[0].arrayBuffer(),
    { raw: true },
  );

function words(told) {
  const parts = [
    [told.new.length, "new"],
    [told.changed.length, "changed"],
    [told.same.length, "as they are"],
  ];
  const places = told.places.length ? `; new places: ${told.places.join(", ")}` : "";
  return (
    parts
      .filter(([count]) => count)
      .map(([count, what]) => `${count} ${what}`)
      .join(", ") + places
  );
}

function show(told) {
  const lines = told.new.length + told.changed.length + told.same.length;
  const nothing = told.new.length + told.changed.length === 0;
  off(
    store,
    told.faults.length ? "Mend the faults in the file first" : nothing ? "Nothing in it is new or changed" : "",
  );
  if (!told.faults.length) {
    report.replaceChildren(
      made("p", `${many(lines, "row")} without a fault: ${words(told)}.`, { className: "notice good" }),
    );
    return;
  }
  const rows = new Set(told.faults.map((fault) => fault.line)).size;
  const head = `${many(told.faults.length, "fault")} in ${many(rows, "row")}: nothing is stored until all is mended.`;
  const table = made("table", "", { className: "ledger" });
  table.append(made("thead", ""), made("tbody", ""));
  table.tHead.append(made("tr", ""));
  const heads = ["line", "code", "where", "what is wrong", "expected"];
  table.tHead.rows[0].append(...heads.map((name) => made("th", name)));
  for (const fault of told.faults) {
    const row = made("tr", "");
    for (const key of ["line", "code", "where", "what", "expected"]) row.append(made("td", fault[key]));
    table.tBodies[0].append(row);
  }
  report.replaceChildren(made("p", head, { className: "notice" }), table);
}

// A sign that it is under way, for hundreds of rows take their time.
async function underWay(what, work) {
  const began = performance.now();
  const line = made("p", "", { className: "quiet" });
  const words = made("span", ` ${what} ...`);
  const clock = setInterval(() => {
    words.textContent = ` ${what}, ${Math.round((performance.now() - began) / 1000)} s so far`;
  }, 1000);
  line.append(made("progress", "", { ariaLabel: what }), words);
  report.replaceChildren(line);
  try {
    await work();
  } finally {
    clearInterval(clock);
  }
}

const refused = (error) => {
  off(store, "What is said above stands in the way");
  report.replaceChildren(made("p", error.message, { className: "notice" }));
};

file.addEventListener("change", async () => {
  if (!file.files.length) return;
  dialog.querySelector("[data-chosen]").textContent = file.files[0].name;
  try {
    await underWay(`Checking each row of ${file.files[0].name}`, async () => show(await send(false)));
  } catch (error) {
    refused(error);
  }
});
// the same file again, once it is mended, is a new choice
file.addEventListener("click", () => {
  file.value = "";
});

store.addEventListener("click", async () => {
  off(store, "They are being stored");
  try {
    await underWay("Storing them", () => send(true));
    location.reload();
  } catch (error) {
    if (error.body?.faults?.[0]?.line) show(error.body);
    else refused(error);
  }
});
