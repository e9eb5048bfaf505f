// The link sheet: causes by what is done, read like a drawing; a cell is a sentence whose parts are changed in place.
import { ask, pageData, root } from "/static/js/http.js";
import { may } from "/static/js/roles.js";
import { el, redraw } from "/static/js/svg.js";
import { many } from "/static/js/units.js";
import { askedOf, askedOfSwitch, begun, given, number } from "./effects.js";

const WEEK_MIN = 7 * 1440;
const RIBBON = { width: 98, height: 9 };

const made = (tag, attributes = {}, ...children) => {
  const node = document.createElement(tag);
  for (const [key, value] of Object.entries(attributes))
    if (value !== null && value !== false) node.setAttribute(key, value === true ? "" : value);
  node.append(...children.filter((child) => child !== null));
  return node;
};

// The week as a ribbon: a box a day, what is on is filled.
function ribbon(spans, title) {
  const at = (min) => (min / WEEK_MIN) * RIBBON.width;
  const boxes = Array.from({ length: 7 }, (_, day) =>
    el("rect", { class: "day", x: at(day * 1440), y: 0, width: RIBBON.width / 7, height: RIBBON.height }),
  );
  const on = spans.map(([from, to]) =>
    el("rect", { class: "on", x: at(from), y: 0, width: Math.max(at(to - from), 0.7), height: RIBBON.height }),
  );
  const size = { viewBox: `0 0 ${RIBBON.width} ${RIBBON.height}`, width: RIBBON.width, height: RIBBON.height };
  return el("svg", { class: "ribbon", role: "img", "aria-label": title, ...size }, ...boxes, ...on);
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("linkSheet", () => {
    const data = pageData();
    let matrix = null; // what is pressed may be gone by the time it is drawn anew, and its $refs with it
    const things = Object.fromEntries(data.sorts.map((sort) => [sort.do, sort]));
    return {
      text: "",
      loose: false,
      timetables: data.timetables,
      draft: null,
      would: null,
      trouble: "",
      told: "",
      file: "",
      report: null,
      tableTrouble: "",
      tableWhy: "",

      init() {
        matrix = this.$refs.matrix;
        this.draw();
        matrix.addEventListener("click", (event) => {
          const cell = event.target.closest("button[data-row]");
          if (cell) this.choose(Number(cell.dataset.row), Number(cell.dataset.column), cell.dataset.at);
        });
        addEventListener("beforeunload", (event) => {
          if (may("engineer") && this.draft?.dirty) event.preventDefault();
        });
      },

      // ---- the matrix ----
      get counted() {
        const links = new Set(data.rows.filter((row) => row.link).map((row) => row.link.id)).size;
        const bare = data.rows.filter(this.isBare).length;
        const unused = data.columns.filter((column) => !column.used).length;
        const causes = new Set(data.rows.map((row) => `${row.what} ${row.name}`)).size;
        return (
          `${many(causes, "cause")}, ${many(links, "link")}; nothing comes of ${bare}, ` +
          `${many(unused, "output")} that nothing switches`
        );
      },
      get words() {
        return data.rows.length ? "" : "No cause yet: make a detector, an input or a compound.";
      },
      isBare: (row) => !row.cells.length && !row.heard.length,
      isShown(row) {
        if (this.loose && !this.isBare(row)) return false;
        const words = `${row.name} ${row.device} ${row.place} ${row.link?.name ?? ""}`.toLowerCase();
        return words.includes(this.text.trim().toLowerCase());
      },
      columnsShown() {
        const all = data.columns.map((column, at) => ({ ...column, at }));
        return this.loose ? all.filter((column) => !column.used) : all;
      },
      draw() {
        const columns = this.columnsShown();
        const rows = data.rows.map((row, at) => ({ ...row, at })).filter((row) => this.isShown(row));
        const head = made(
          "thead",
          {},
          made(
            "tr",
            {},
            made("th", { class: "cause", scope: "col" }, "cause"),
            made("th", { class: "hours", scope: "col" }, "hours, Mon to Sun"),
            ...columns.map((column) =>
              made(
                "th",
                { scope: "col", class: `thing ${column.used ? "" : "unused"}`, title: this.titleOf(column) },
                made("span", {}, made("small", {}, column.device), ` ${column.title}`),
              ),
            ),
          ),
        );
        const body = made("tbody");
        let place = null;
        for (const row of rows) {
          const of = row.place || "Compounds";
          if (of !== place) {
            place = of;
            const heading = made("th", { colspan: columns.length + 2, scope: "rowgroup" }, of);
            body.append(made("tr", { class: "place" }, heading));
          }
          body.append(this.rowOf(row, columns));
        }
        redraw(matrix, [head, body]);
      },
      titleOf: (column) => (column.used ? column.title : `${column.title}: nothing switches it`),
      rowOf(row, columns) {
        const link = row.link;
        const only = [link?.region, ...(link?.lists ?? [])].filter(Boolean).join(", ");
        const name = made("a", { href: root + row.page }, row.name);
        const cause = made("th", { scope: "row", class: "cause" }, made("span", { class: "code" }, row.device), name);
        if (only) cause.append(made("small", {}, ` on ${only}`));
        if (this.isBare(row)) cause.append(made("small", { class: "bare-word" }, " nothing comes of it"));
        else if (!row.cells.length) cause.append(made("small", {}, ` a part of ${row.heard.join(", ")}`));
        const hours = made("td", { class: "hours" });
        if (link?.timetable) {
          const spans = data.spans[link.timetable] ?? [];
          hours.append(ribbon(spans, spans.length ? link.timetable : `${link.timetable}: no hours, so never`));
          hours.append(made("small", { class: spans.length ? "" : "never" }, link.timetable));
        } else hours.append(made("small", {}, link ? "always" : ""));
        const cells = columns.map((column) => this.cellOf(row, column));
        return made("tr", { class: this.isBare(row) ? "bare" : "" }, cause, hours, ...cells);
      },
      cellOf(row, column) {
        const held = row.cells.filter((cell) => cell.column === column.at);
        const name = `${row.name}: ${column.title}`;
        const place = { type: "button", "data-row": row.at, "data-column": column.at };
        if (!held.length) {
          if (!may("engineer")) return made("td", { class: "free" });
          const add = made("button", { ...place, class: "add", "aria-label": `Tie ${name}`, title: name }, "+");
          return made("td", { class: "free" }, add);
        }
        const chosen = this.draft?.row === row.at;
        return made(
          "td",
          { class: "tied" },
          ...held.map((cell) =>
            made(
              "button",
              {
                ...place,
                "data-at": cell.at,
                title: name,
                "aria-label": `${name}, ${cell.ink.replaceAll("\n", ", ") || "yes"}`,
                "aria-pressed": String(chosen && this.draft.at === cell.at),
              },
              cell.ink || "•",
            ),
          ),
        );
      },

      // ---- the chosen cell ----
      choose(rowAt, columnAt, at) {
        if (this.draft?.dirty) {
          this.trouble = "What is changed in the sentence is not saved: save it, or leave it, first.";
          return;
        }
        const row = data.rows[rowAt];
        const column = data.columns[columnAt];
        const link = row.link
          ? structuredClone(row.link)
          : { ...structuredClone(data.fresh.link), name: this.freeName(), [row.what]: row.name, id: null };
        this.trouble = "";
        this.told = "";
        const draft = { row: rowAt, link, cause: row.name, page: root + row.page, title: column.title, why: "" };
        if (at !== undefined) this.draft = { ...draft, at: Number(at), dirty: false, stored: true };
        else {
          link.effects.push(this.effectOn(column));
          this.draft = { ...draft, at: link.effects.length - 1, dirty: true, stored: false };
        }
        this.judge();
        this.draw();
      },
      effectOn(column) {
        if (column.do === "switch") return { ...data.fresh.effect, output: column.on };
        const sort = things[column.do];
        const effect = begun(sort, data);
        const first = sort.asked[0];
        effect[first.key] = ["devices", "words"].includes(first.of)
          ? [column.on]
          : first.of === "roles"
            ? column.on.split(",")
            : column.on;
        return effect;
      },
      freeName() {
        const taken = new Set(data.taken);
        let number = 1;
        while (taken.has(`Link ${number}`)) number += 1;
        return `Link ${number}`;
      },
      get raisesWords() {
        const only = [this.draft.link.region, ...this.draft.link.lists].filter(Boolean).join(", ");
        return only ? `raises on ${only},` : "raises,";
      },
      get effect() {
        return this.draft.link.effects[this.draft.at];
      },
      get asked() {
        const effect = this.effect;
        if (!effect.do || effect.do === "switch") return askedOfSwitch(effect, data);
        return things[effect.do].asked.map((asked) => askedOf(effect, asked, data));
      },
      async judge() {
        this.would = null;
        const id = this.draft.link.id;
        if (id === null) return;
        const told = await ask("GET", `/link-sheet/links/${id}/would`).catch((error) => error.message);
        if (this.draft?.link.id === id) this.would = told;
      },
      get wouldWords() {
        if (this.would === null) return this.draft.link.id === null ? "" : "looking at the takes…";
        if (typeof this.would === "string") return this.would;
        if (!this.would.length) return "no take says anything of its cause";
        const raised = this.would.reduce((sum, each) => sum + each.raised, 0);
        const results = {};
        for (const each of this.would)
          for (const [word, count] of Object.entries(each.results)) results[word] = (results[word] ?? 0) + count;
        const orders = Object.entries(results).map(([word, count]) => `${count} ${word}`);
        const takes = many(this.would.length, "take");
        return `on ${takes} it raised ${raised} times; orders: ${orders.join(", ") || "none"}`;
      },
      setHours(name) {
        this.draft.link.timetable = name || null;
        this.draft.dirty = true;
      },
      setDelay(text) {
        this.draft.link.delay_s = number(text);
        this.draft.dirty = true;
      },
      setPart({ key, of }, value) {
        const typed = given(of, value);
        this.effect[key] = key === "flash_hz" && value.trim() === "" ? null : typed;
        this.draft.dirty = true;
      },
      setMany({ key, choices, value }, name, on) {
        this.effect[key] = choices.filter((each) => (each === name ? on : value.includes(each)));
        this.draft.dirty = true;
      },
      leave() {
        this.draft = null;
        this.trouble = "";
        this.draw();
      },
      async save() {
        const { link, why } = this.draft;
        const { id, revision, ...document } = link;
        await this.attempt(async () => {
          const saved =
            id === null
              ? await ask("POST", "/link-sheet/links", document)
              : await ask(
                  "PUT",
                  `/link-sheet/links/${id}?base=${revision}&reason=${encodeURIComponent(why)}`,
                  document,
                );
          this.told = `Saved ${saved.name}. The live engine takes it up within a second.`;
        });
      },
      async takeOut() {
        const { link, at, why } = this.draft;
        const { id, revision, ...document } = link;
        const reason = encodeURIComponent(why.trim() || `No longer: ${this.draft.title}.`);
        await this.attempt(async () => {
          if (link.effects.length === 1) {
            await ask("DELETE", `/link-sheet/links/${id}?base=${revision}&reason=${reason}`);
          } else {
            const effects = link.effects.filter((_, n) => n !== at);
            await ask("PUT", `/link-sheet/links/${id}?base=${revision}&reason=${reason}`, { ...document, effects });
          }
          this.told = `${this.draft.title} is taken out of ${link.name}; its page keeps what it was.`;
        });
      },
      async attempt(work) {
        this.trouble = "";
        this.told = "";
        try {
          await work();
          this.draft = null;
          await this.reread();
        } catch (error) {
          this.trouble = error.message;
        }
      },
      async reread() {
        Object.assign(data, await ask("GET", "/link-sheet/rows"));
        data.taken = data.rows.filter((row) => row.link).map((row) => row.link.name);
        this.draw();
      },
      printed() {
        print();
      },

      // ---- a table that comes in ----
      openTable() {
        Object.assign(this, { file: "", report: null, tableTrouble: "", tableWhy: "" });
        this.$refs.table.showModal();
      },
      closeTable() {
        this.$refs.table.close();
      },
      get takes() {
        const report = this.report;
        return Boolean(report && !report.faults.length && report.new.length + report.changed.length);
      },
      get whyNot() {
        if (!this.report) return "Choose a file first";
        return this.report.faults.length ? "Mend the faults in the file first" : "Nothing in it is new or changed";
      },
      get changes() {
        return this.report.changed.flatMap(({ name, changes }) => changes.map((each) => ({ name, ...each })));
      },
      get reportWords() {
        const { faults, new: fresh, changed, same, stay } = this.report;
        if (faults.length) return `${many(faults.length, "fault")}: nothing is stored until all is mended.`;
        const parts = [
          [fresh.length, `new (${fresh.join(", ")})`],
          [changed.length, "changed"],
          [same.length, "as they are"],
          [stay.length, "not in the file: they stay"],
        ];
        return parts
          .filter(([count]) => count)
          .map(([count, what]) => `${count} ${what}`)
          .join("; ");
      },
      async tried(input) {
        if (!input.files.length) return;
        const [chosen] = input.files;
        Object.assign(this, { file: chosen.name, report: null, tableTrouble: "" });
        this.held = await chosen.arrayBuffer();
        await this.sendTable(false);
      },
      async sendTable(store) {
        const why = `name=${encodeURIComponent(this.file)}&reason=${encodeURIComponent(this.tableWhy)}`;
        try {
          this.report = await ask("POST", `/link-sheet/table?store=${store}&${why}`, this.held, { raw: true });
        } catch (error) {
          if (error.body?.faults?.[0]?.line) this.report = error.body;
          else this.tableTrouble = error.message;
          return false;
        }
        return true;
      },
      async storeTable() {
        if (!(await this.sendTable(true))) return;
        const { new: fresh, changed } = this.report;
        this.closeTable();
        this.told = `${many(fresh.length, "link")} made, ${changed.length} changed.`;
        await this.reread();
      },
    };
  });
});
