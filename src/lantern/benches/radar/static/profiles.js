// Every profile on the take in one row: the four ways, and those that the site keeps by name.
import { ask } from "/static/js/http.js";
import { same } from "/static/tune/bench/dials.js";

export const profiles = ({ filled }) => ({
  profiles: [],
  profileName: "",
  profilesOpen: false,
  profileFault: "",
  openProfiles() {
    this.profilesOpen = !this.profilesOpen;
  },
  get ownProfiles() {
    return this.profiles.filter(({ id }) => id);
  },

  fetchProfiles() {
    return this.attemptPart(async () => {
      this.profiles = (await this.post(["profiles"])).profiles;
    });
  },
  isInUse({ id, dials }) {
    return id ? same(filled(dials), { ...this.dials }) : dials.profile === this.dials.profile;
  },
  countsOf({ card }, key) {
    return card.rows.find((row) => row.key === key)?.text ?? "";
  },
  // One of its own brings all its dials.
  takeProfile({ id, dials }) {
    this.remember();
    this.dials = id ? filled(dials) : { ...this.dials, ...dials };
    this.resetTexts();
    this.faults = {};
    this.refresh();
  },
  async keepProfile() {
    this.profileFault = "";
    try {
      await ask("POST", "/radar-profiles", { name: this.profileName.trim(), dials: { ...this.dials } });
      this.profileName = "";
      await this.fetchProfiles();
    } catch (error) {
      this.profileFault = error.message; // beside the name: what is judged meanwhile takes other words away
    }
  },
  dropProfile({ id, revision }) {
    return this.attemptPart(async () => {
      await ask("DELETE", `/radar-profiles/${id}?base=${revision}`);
      await this.fetchProfiles();
    });
  },
});
