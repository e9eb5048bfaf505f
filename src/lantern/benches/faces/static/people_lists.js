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
    holdoff_s: null,
    cameras: [],
    on_match: null,
    members: [],
    readers: [],
  }),
  heldText: ({ members }) => many(members.length, "member"),
  bodyOf: ({ name, colour, purpose, ends, threshold, holdoff_s, cameras, on_match, members }) => ({
    name: name ?? "",
    colour,
    purpose,
    ends,
    threshold,
    holdoff_s,
    cameras,
    on_match,
    members,
  }),
};

startLists(how, ({ data }) => ({
  devices: data.devices,
  leads: data.leads,
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
  get zipAddress() {
    return address(`/people-lists/${this.edited.id}/people.zip`);
  },
  async bringZip(files) {
    if (!files.length) return;
    await this.attempt(async () => {
      const { id } = this.edited;
      const kept = await ask("PUT", `/people-lists/${id}/people.zip`, await files[0].arrayBuffer(), { raw: true });
      await this.anew(id);
      this.told = `${many(kept.people, "person", "people")} enrolled.`;
    });
  },
  setThreshold(text) {
    this.setNumber("threshold", text);
  },
  setNumber(key, text) {
    this.edited[key] = text.trim() === "" ? null : numberOf(text);
    this.dirty = true;
  },
  bind(device, is) {
    const others = this.edited.cameras.filter((d) => d !== device);
    this.edited.cameras = is ? [...others, device].sort() : others;
    this.dirty = true;
  },
}));
