// Lists of plates: entries typed or from a file, what is wrong with them, who changed what.
import { address, ask, pageData } from "/static/js/http.js";
import { dayAndTime } from "/static/js/svg.js";
import { many } from "/static/js/units.js";

const copy = (value) => JSON.parse(JSON.stringify(value));
// A shape beside the colour, for those who do not tell colours apart.
const MARKS = {
  green: "M2 6.5 5 9.5 10.5 3",
  red: "M2 2 10 10M10 2 2 10",
  amber: "M6 1.5 11 10.5H1Z",
  blue: "M2 2H10V10H2Z",
  grey: "M2 6H10",
};

document.addEventListener("alpine:init", () => {
  window.Alpine.data("lists", () => {
    const data = pageData();
    return {
      lists: data.lists,
      findings: data.findings,
      changes: data.changes,
      colours: data.colours,
      edited: { id: null, name: "", colour: "grey", purpose: "", ends: null, entries: [], readers: [] },
      dirty: false,
      why: "",
      trouble: "",
      told: "",

      init() {
        if (this.lists.length) this.edit(this.lists[0]);
        else this.fresh();
        addEventListener("beforeunload", (event) => {
          if (this.dirty) event.preventDefault();
        });
      },
      markOf: (list) => MARKS[list.colour] ?? MARKS.grey,
      get csvAddress() {
        return address(`/lists/${this.edited.id}/entries.csv`);
      },
      get readersText() {
        const { id, readers, entries } = this.edited;
        if (id === null) return "Not saved yet.";
        const held = many(entries.length, "entry", "entries");
        return `${held}; read by ${readers.join(", ") || "no detector: name it under Lists of a bench"}.`;
      },
      edit(list) {
        this.edited = copy(list);
        this.dirty = false;
        this.why = "";
      },
      fresh() {
        this.edited = { id: null, name: "New list", colour: "grey", purpose: "", ends: null, entries: [], readers: [] };
        this.dirty = true;
      },
      set(key, value) {
        this.edited[key] = value || null;
        this.dirty = true;
      },
      setEntry(index, key, value) {
        this.edited.entries[index][key] = value || null;
        this.dirty = true;
      },
      addEntry() {
        this.edited.entries.push({ text: "", from: null, until: null, note: null, id: null });
        this.dirty = true;
      },
      body() {
        const { name, colour, purpose, ends, entries } = this.edited;
        return {
          name: name ?? "",
          colour,
          purpose,
          ends,
          entries: entries.map(({ text, from, until, note, id }) => ({ text: text ?? "", from, until, note, id })),
        };
      },
      async save() {
        await this.attempt(async () => {
          const { id, revision } = this.edited;
          const kept =
            id === null
              ? await ask("POST", "/lists", this.body())
              : await ask("PUT", `/lists/${id}?base=${revision}&reason=${encodeURIComponent(this.why)}`, this.body());
          await this.anew(kept.id);
          this.told = "Saved. The live engine takes it up within a second.";
        });
      },
      async remove() {
        await this.attempt(async () => {
          await ask("DELETE", `/lists/${this.edited.id}?base=${this.edited.revision}`);
          await this.anew(null);
        });
      },
      async removeEntry(index) {
        const entry = this.edited.entries[index];
        if (this.dirty || !entry.id) {
          if (entry.id) {
            this.trouble = "Save the list first: removing takes the plate out of everything at once.";
            return;
          }
          this.edited.entries.splice(index, 1);
          return;
        }
        const warning = "Its text goes out of every revision, event and read of the site. It cannot be had again.";
        if (!confirm(`Remove ${entry.text}? ${warning}`)) return;
        await this.attempt(async () => {
          const gone = await ask("DELETE", `/lists/${this.edited.id}/entries/${entry.id}?base=${this.edited.revision}`);
          await this.anew(this.edited.id);
          this.told =
            `Removed: out of ${many(gone.revisions, "revision")}, ${many(gone.events, "event")} ` +
            `and ${many(gone.reads, "read")}.`;
        });
      },
      async bring(files) {
        if (!files.length) return;
        await this.attempt(async () => {
          const { id, revision } = this.edited;
          const why = this.why || `From the file ${files[0].name}.`;
          const kept = await ask(
            "PUT",
            `/lists/${id}/entries.csv?base=${revision}&reason=${encodeURIComponent(why)}`,
            await files[0].arrayBuffer(),
            { raw: true },
          );
          await this.anew(id);
          this.told = `${many(kept.entries, "entry", "entries")}.`;
        });
      },
      async restore(change) {
        await this.attempt(async () => {
          const kept = await ask("POST", `/lists/revisions/${change.id}/restore?base=${change.newest}`);
          await this.anew(kept.id);
        });
      },
      async anew(id) {
        const fresh = await ask("GET", "/lists/all");
        Object.assign(this, { lists: fresh.lists, findings: fresh.findings, changes: fresh.changes });
        const held = this.lists.find((list) => list.id === id) ?? this.lists[0];
        if (held) this.edit(held);
        else this.fresh();
      },
      async attempt(work) {
        this.trouble = "";
        this.told = "";
        try {
          await work();
        } catch (error) {
          this.trouble = error.message;
        }
      },
      whenText: (at) => dayAndTime(at, data.zone),
      cameText(c) {
        if (c.deleted) return "deleted";
        return (
          [c.came ? `${c.came} came` : "", c.went ? `${c.went} went` : ""].filter(Boolean).join(", ") ||
          `revision ${c.number}`
        );
      },
    };
  });
});
