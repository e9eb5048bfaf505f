// Persons: looked at, enrolled, given to galleries, kept for a while, erased for good.
import { address, ask, pageData } from "/static/js/http.js";
import { dayAndTime, short } from "/static/js/svg.js";
import { many, numberOf } from "/static/js/units.js";
import { MARKS } from "/static/lists/page.js";

const CHUNK = 0x8000; // bytes that are made text at once

// Bytes as base64: what a body of JSON carries.
async function base64(file) {
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = "";
  for (let at = 0; at < bytes.length; at += CHUNK) text += String.fromCharCode(...bytes.subarray(at, at + CHUNK));
  return btoa(text);
}

const page = (data) => ({
  ...data,
  hours: data.keeping.hours,
  chosen: data.persons[0]?.member ?? null,
  sought: "",
  onList: "",
  looks: [],
  newName: "",
  why: "",
  draft: null,
  judged: null,
  trouble: "",
  told: "",
  timer: null,

  init() {
    const asked = new URLSearchParams(location.search);
    if (asked.has("probe")) this.beginWith({ device_id: Number(asked.get("device")), probe: asked.get("probe") });
    this.fetchLooks();
    this.timer = setInterval(() => this.followErasures(), 2000);
    addEventListener("beforeunload", (event) => {
      if (this.draft && (this.draft.picture || this.draft.name)) event.preventDefault();
    });
  },
  async attempt(work, done = "") {
    this.trouble = "";
    this.told = "";
    try {
      const told = await work();
      this.told = typeof told === "string" ? told : done;
    } catch (error) {
      this.trouble = error.message;
    }
  },
  async anew() {
    const now = await ask("GET", "/persons/all");
    Object.assign(this, now);
    if (!this.one) this.chosen = this.persons[0]?.member ?? null;
    await this.fetchLooks();
  },

  // ---- who there is ----

  get shown() {
    const words = this.sought.trim().toLowerCase();
    const fits = (p) =>
      !words || p.member.toLowerCase().includes(words) || (p.name ?? "").toLowerCase().includes(words);
    return this.persons.filter((p) => fits(p) && (!this.onList || p.lists.includes(this.onList)));
  },
  get countText() {
    const all = many(this.persons.length, "person", "people");
    return this.shown.length < this.persons.length ? `${this.shown.length} of ${all}` : all;
  },
  get one() {
    return this.persons.find((p) => p.member === this.chosen) ?? null;
  },
  get isShown() {
    return this.draft === null && this.one !== null;
  },
  isPictured(p) {
    return p.portrait !== null && this.sees;
  },
  linesOf(p) {
    return [
      p.enrolled ? `enrolled ${this.whenText(p.enrolled)}` : "",
      p.portrait ? this.measuresText(p.portrait) : "",
      this.deviceText(p.portrait?.said),
      p.goes ? `goes ${this.whenText(p.goes)}, by its lists` : "",
    ].filter(Boolean);
  },
  cautionsOf: (p) => p.portrait?.cautions ?? [],
  goesText(p) {
    return p.goes ? this.dayText(p.goes) : "–";
  },
  choose(member) {
    this.chosen = member;
    this.draft = null;
    this.newName = "";
    this.why = "";
    this.fetchLooks();
  },
  async fetchLooks() {
    const { one } = this;
    this.looks = one?.id && one.captures && this.sees ? (await ask("GET", `/persons/${one.id}/looks`)).looks : [];
  },
  nameText(p) {
    if (!this.sees) return p.member;
    if (p.name) return p.name;
    return p.named ? "cannot be read: its key is not here" : "not named";
  },
  portraitOf: (p) => address(`/persons/${p.id}/portrait?of=${p.portrait.digest}`),
  lookPicture: (l) => address(`/devices/${l.device}/looks/${encodeURIComponent(l.probe)}`),
  colourOf(name) {
    return this.lists.find((l) => l.name === name)?.colour ?? "grey";
  },
  markOf(name) {
    return MARKS[this.colourOf(name)] ?? MARKS.grey;
  },
  heldText(p) {
    const at = this.galleries.filter((g) => g.lists.some((l) => p.lists.includes(l)));
    if (!at.length) return "no device";
    return at.map((g) => (g.held.includes(p.member) ? g.code : `${g.code} ${this.lackText(g, p)}`)).join(", ");
  },
  lackText: (g, p) => (g.refused.some(([m]) => m === p.member) ? "refused" : p.portrait ? "pending" : "no picture"),
  measuresText: ({ measures: m }) =>
    `${m.width_px} x ${m.height_px} px, focus ${short(m.focus, 3)}, mean ${short(m.mean, 3)} of 255`,
  deviceText(said) {
    if (!said) return "";
    const parts = [`${said.by} says:`];
    parts.push(said.accepted ? "good" : said.reasons.join("; "));
    if (said.eyes_px !== null) parts.push(`${short(said.eyes_px, 3)} px between the eyes`);
    if (said.yaw_deg !== null) parts.push(`turned ${short(said.yaw_deg, 2)}°`);
    if (said.covered) parts.push(`${short(100 * said.covered, 2)} % covered`);
    if (said.duplicate_of) parts.push(`looks like ${said.duplicate_of}`);
    return parts.join(" ").replace(/ (?=\d|turned|looks)/g, " ");
  },
  get exportAddress() {
    return this.one?.id ? address(`/persons/${this.one.id}/export.zip`) : "";
  },
  async call() {
    await this.attempt(async () => {
      const to = this.one.id ? `/persons/${this.one.id}/name` : `/members/${encodeURIComponent(this.chosen)}/name`;
      await ask("PUT", to, { name: this.newName });
      this.newName = "";
      await this.anew();
    }, "Saved, sealed.");
  },

  // ---- enrolled ----

  begin(person = null) {
    const on = person ? this.lists.filter((l) => person.lists.includes(l.name)).map((l) => l.id) : [];
    const { member = "", name = "" } = person ?? {};
    this.draft = { member, name: name ?? "", picture: null, look: null, shown: "", lists: on, even_so: false };
    this.judged = null;
  },
  // Somebody is to be known by the picture of a look.
  beginWith(look) {
    this.begin();
    this.draft.look = look;
    this.draft.shown = this.lookPicture({ device: look.device_id, probe: look.probe });
    this.judge();
  },
  get pictureOf() {
    const { picture, look } = this.draft ?? {};
    return picture ? { picture } : look ? { look } : null;
  },
  get draftTitle() {
    return this.draft?.member ? `A new picture of ${this.draft.member}` : "Enrol somebody";
  },
  leave() {
    this.draft = null;
  },
  putOn(id, is) {
    const others = this.draft.lists.filter((each) => each !== id);
    this.draft.lists = is ? [...others, id] : others;
    this.judge();
  },
  async bringPicture(files) {
    if (!files.length) return;
    await this.attempt(async () => {
      this.draft.picture = await base64(files[0]);
      this.draft.look = null;
      this.draft.shown = `data:${files[0].type};base64,${this.draft.picture}`;
      await this.judge();
    });
  },
  // What it is worth: measured here, and asked of a device that would hold it.
  async judge() {
    if (!this.pictureOf) return;
    await this.attempt(async () => {
      this.judged = null;
      this.judged = await ask("POST", "/persons/check", { ...this.pictureOf, lists: this.draft.lists });
    });
  },
  get judgedCautions() {
    if (!this.judged) return [];
    const { cautions, said } = this.judged;
    const refused = said && !said.accepted ? said.reasons.map((r) => `${said.by} refuses it: ${r}`) : [];
    const { duplicate_of: twin, by } = said ?? {};
    const same = twin && twin !== this.draft?.member ? [`${by} holds somebody who looks the same: ${twin}`] : [];
    return [...refused, ...same, ...cautions];
  },
  get measuredText() {
    return this.judged ? this.measuresText(this.judged) : "";
  },
  get saidText() {
    if (!this.judged) return "";
    return this.judged.said
      ? this.deviceText(this.judged.said)
      : "No device answers that would hold it: it is asked once one does.";
  },
  get whyNot() {
    const { name, member } = this.draft ?? {};
    if (!this.pictureOf && (member || !name?.trim())) return "Choose a picture, or give a name";
    if (this.judged?.said && !this.judged.said.accepted) return "The device refuses this picture";
    if (this.judgedCautions.length && !this.draft.even_so) return "Look at what is said of the picture first";
    return "";
  },
  get mayEnrol() {
    return this.draft !== null && this.whyNot === "";
  },
  async enrol() {
    await this.attempt(async () => {
      const { member, name, lists, even_so: evenSo } = this.draft;
      const body = { member, name: name ?? "", ...this.pictureOf, lists, even_so: evenSo };
      const kept = await ask("POST", "/persons", body);
      this.draft = null;
      this.chosen = kept.member;
      await this.anew();
      return kept.pending ? "Enrolled. A device is still to be given the picture." : "Enrolled.";
    });
  },

  // ---- galleries ----

  galleryText(g) {
    if (!g.reached) return `${g.name}: nobody has given the address of its gallery.`;
    const what = g.lists.length ? `is to hold ${g.wanted} of ${g.lists.join(", ")}` : "no list is bound to it";
    const when = g.at ? ` Asked ${this.whenText(g.at)}: ` : " Not asked yet.";
    const how = g.at ? (g.trouble ? g.trouble : `it holds ${g.held.length}`) : "";
    return `${g.name}: ${what}.${when}${how}${how ? "." : ""}${g.algorithm ? ` ${g.algorithm}.` : ""}`;
  },
  findingsOf(g) {
    const few = (names) =>
      names.length > 4 ? `${names.slice(0, 4).join(", ")} and ${names.length - 4} more` : names.join(", ");
    return [
      g.given.length ? `still to be given: ${few(g.given)}` : "",
      g.let_go.length ? `still to let go: ${few(g.let_go)}` : "",
      g.without.length ? `without a reference, so not in it: ${few(g.without)}` : "",
      g.strange.length ? `it holds ${few(g.strange)}, whom no list here has: take them off there` : "",
      ...g.refused.map(([member, says]) => `${member} was refused: ${says}`),
    ].filter(Boolean);
  },
  async push(g) {
    await this.attempt(async () => {
      const left = await ask("POST", `/devices/${g.id}/gallery`);
      await this.anew();
      return left.given || left.let_go ? "Not all of it: see what is left." : "It holds whom it is to hold.";
    });
  },

  // ---- kept, erased ----

  async keep(l) {
    await this.attempt(async () => {
      const text = String(l.keep_days ?? "").trim();
      await ask("PUT", `/people-lists/${l.id}/keeping`, {
        legal_basis: l.legal_basis,
        keep_days: text === "" ? null : numberOf(text),
      });
      await this.anew();
    }, "Saved.");
  },
  async keepHours() {
    await this.attempt(async () => {
      await ask("PUT", "/persons/keeping", { hours: numberOf(String(this.hours)) });
      await this.anew();
    }, "Saved. Pictures that are there go at their own time.");
  },
  get nextText() {
    const { last, next, gone, erased } = this.keeping;
    if (!next) return "The program looks within a minute, then every hour.";
    const went = [many(gone, "picture"), many(erased, "person", "people")].join(" and ");
    return `Looked ${this.whenText(last)}: ${went} went. Looks next ${this.whenText(next)}.`;
  },
  async erase() {
    await this.attempt(async () => {
      const { id, member } = this.one;
      const to = id ? `/persons/${id}/erase` : `/members/${encodeURIComponent(member)}/erase`;
      await ask("POST", to, { why: this.why });
      this.chosen = null;
      this.why = "";
      await this.anew();
    }, "Erased: the key is destroyed. The name is cleared from takes and records, and devices are told.");
  },
  async followErasures() {
    if (!(this.erasures ?? []).some((e) => e.open || e.pending.length)) return;
    const { erasures, galleries } = await ask("GET", "/persons/all");
    Object.assign(this, { erasures, galleries });
  },
  erasureText(e) {
    if (e.open) return "being cleared from takes and records";
    if (e.faults.length) return e.faults.map((f) => f.what).join("; ");
    const where = `cleared from ${many(e.places, "row")}`;
    if (e.pending.length) return `${where}; ${e.pending.join(", ")} not told yet: pending`;
    return e.devices.length ? `${where}; ${e.devices.join(", ")} let them go` : where;
  },
  whenText: (at) => dayAndTime(at, data.zone),
  dayText: (at) => dayAndTime(at, data.zone).split(" ")[0],
});

document.addEventListener("alpine:init", () => window.Alpine.data("persons", () => page(pageData())));
