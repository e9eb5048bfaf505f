// Lists of plates: entries typed or from a file; one that goes is gone everywhere.
import { address, ask } from "/static/js/http.js";
import { many } from "/static/js/units.js";
import { startLists } from "/static/lists/page.js";

const how = {
  base: "/lists",
  fresh: () => ({ id: null, name: "New list", colour: "grey", purpose: "", ends: null, entries: [], readers: [] }),
  heldText: ({ entries }) => many(entries.length, "entry", "entries"),
  bodyOf: ({ name, colour, purpose, ends, entries }) => ({
    name: name ?? "",
    colour,
    purpose,
    ends,
    entries: entries.map(({ text, from, until, note, id }) => ({ text: text ?? "", from, until, note, id })),
  }),
};

startLists(how, () => ({
  get csvAddress() {
    return address(`/lists/${this.edited.id}/entries.csv`);
  },
  setEntry(index, key, value) {
    this.edited.entries[index][key] = value || null;
    this.dirty = true;
  },
  addEntry() {
    this.edited.entries.push({ text: "", from: null, until: null, note: null, id: null });
    this.dirty = true;
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
}));
