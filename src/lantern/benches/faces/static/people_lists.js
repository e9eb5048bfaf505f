// Lists of people: members by what the device calls them, a threshold of the list.
import { address, ask } from "/static/js/http.js";
import { many, numberOf } from "/static/js/units.js";
import { startLists } from "/static/lists/page.js";

const how = {
  base: "/people-lists",
  fresh: () => ({
    id: null,
    name: "New list",
    colour: "grey",
    purpose: "",
    ends: null,
    threshold: null,
    members: [],
    readers: [],
  }),
  heldText: ({ members }) => many(members.length, "member"),
  bodyOf: ({ name, colour, purpose, ends, threshold, members }) => ({
    name: name ?? "",
    colour,
    purpose,
    ends,
    threshold,
    members,
  }),
};

startLists(how, () => ({
  get membersText() {
    return this.edited.members.join("\n");
  },
  setMembers(text) {
    const names = text.split("\n").map((line) => line.trim());
    this.edited.members = names.filter(Boolean);
    this.dirty = true;
  },
  get csvAddress() {
    return address(`/people-lists/${this.edited.id}/members.csv`);
  },
  async bring(files) {
    if (!files.length) return;
    await this.attempt(async () => {
      const { id, revision } = this.edited;
      const why = encodeURIComponent(this.why || `From the file ${files[0].name}.`);
      const to = `/people-lists/${id}/members.csv?base=${revision}&reason=${why}`;
      const kept = await ask("PUT", to, await files[0].arrayBuffer(), { raw: true });
      await this.anew(id);
      this.told = `${many(kept.members, "member")}.`;
    });
  },
  setThreshold(text) {
    this.edited.threshold = text.trim() === "" ? null : numberOf(text);
    this.dirty = true;
  },
}));
