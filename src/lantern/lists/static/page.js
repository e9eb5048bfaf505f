// A page of lists: made, changed, deleted, restored; what is wrong with them; who changed what. What stands on one is
// the family's own: `own` adds to the page, `base` is its address, `fresh` a new list, `bodyOf` what of a list is
// stored.
import { ask, pageData } from "/static/js/http.js";
import { dayAndTime } from "/static/js/svg.js";
import { joined } from "/static/js/parts.js";

const copy = (value) => JSON.parse(JSON.stringify(value));
// A shape beside the colour, for those who do not tell colours apart.
export const MARKS = {
  green: "M2 6.5 5 9.5 10.5 3",
  red: "M2 2 10 10M10 2 2 10",
  amber: "M6 1.5 11 10.5H1Z",
  blue: "M2 2H10V10H2Z",
  grey: "M2 6H10",
};

const common = ({ data, base, fresh, bodyOf, heldText }) => ({
  lists: data.lists,
  findings: data.findings,
  changes: data.changes,
  colours: data.colours,
  edited: fresh(),
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
  get readersText() {
    if (this.edited.id === null) return "Not saved yet.";
    const readers = this.edited.readers.join(", ") || "no detector: name it under Lists of a bench";
    return `${heldText(this.edited)}; read by ${readers}.`;
  },
  edit(list) {
    this.edited = copy(list);
    this.dirty = false;
    this.why = "";
  },
  fresh() {
    this.edited = fresh();
    this.dirty = true;
  },
  set(key, value) {
    this.edited[key] = value || null;
    this.dirty = true;
  },
  async save() {
    await this.attempt(async () => {
      const { id, revision } = this.edited;
      const body = bodyOf(this.edited);
      const kept =
        id === null
          ? await ask("POST", base, body)
          : await ask("PUT", `${base}/${id}?base=${revision}&reason=${encodeURIComponent(this.why)}`, body);
      await this.anew(kept.id);
      this.told = "Saved. The live engine takes it up within a second.";
    });
  },
  async remove() {
    await this.attempt(async () => {
      await ask("DELETE", `${base}/${this.edited.id}?base=${this.edited.revision}`);
      await this.anew(null);
    });
  },
  async restore(change) {
    await this.attempt(async () => {
      const kept = await ask("POST", `${base}/revisions/${change.id}/restore?base=${change.newest}`);
      await this.anew(kept.id);
    });
  },
  async anew(id) {
    const now = await ask("GET", `${base}/all`);
    Object.assign(this, { lists: now.lists, findings: now.findings, changes: now.changes });
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
});

export function startLists(how, own = () => ({})) {
  document.addEventListener("alpine:init", () => {
    window.Alpine.data("lists", () => {
      const data = pageData();
      return joined(common({ data, ...how }), own({ data }));
    });
  });
}
