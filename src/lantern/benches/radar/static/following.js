// Bare detections followed: what became of each, which targets broke off, and the dials by which they are followed.
import { Strip } from "/static/tune/strip.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";

export const following = ({ data, shown, studied }) => {
  shown.following = (page) => page.fetchFollowed();
  studied.clutter = (page) => page.takeClutter();
  const { infos } = data.following;
  return {
    followed: null,
    mend: null,
    ofFollowing: {}, // strips, by dial
    chosenFollowing: "",

    get following() {
      return { ...(this.followed?.dials ?? {}), ...(this.own.tracking ?? {}) };
    },
    fetchFollowed() {
      return this.attemptPart(async () => {
        this.followed = (await this.post(["followed"])).followed;
        if (!this.followed.bare) return;
        this.drawFollowing();
        this.mend = (await this.post(["mend"])).mend;
      });
    },
    // A strip follows everybody anew for each of its values: only that one which is asked for.
    chooseFollowing(name) {
      this.chosenFollowing = this.chosenFollowing === name ? "" : name;
      if (this.chosenFollowing) this.fetchFollowingStrip();
    },
    async fetchFollowingStrip() {
      const name = this.chosenFollowing;
      await this.attemptPart(async () => {
        const asked = { strips: [name], wishes: this.wished, of_note: this.ofNote };
        this.ofFollowing = { ...this.ofFollowing, ...(await this.post(["following"], asked)).following };
        this.$nextTick(() => this.drawFollowing());
      });
    },
    drawFollowing() {
      for (const svg of this.$root.querySelectorAll("svg[data-following]")) {
        const name = svg.dataset.following;
        if (!this.ofFollowing[name]) continue;
        svg.strip ??= new Strip(
          svg,
          { move: (value, done) => done && this.setFollowing(name, value) },
          infos[name].shown,
        );
        svg.strip.draw(this.ofFollowing[name], this.following[name] ?? 0);
      }
    },
    setFollowing(name, value) {
      const { step } = infos[name];
      const rounded = value === null ? null : Number((Math.round(value / step) * step).toFixed(6));
      this.remember();
      this.own = { ...this.own, tracking: { ...this.following, [name]: rounded } };
      this.refollow();
    },
    // Everybody is somebody else now: ways and all that is drawn of them.
    async refollow() {
      this.refresh();
      await this.fetchWays();
      await this.fetchFollowed();
      if (this.chosenFollowing) await this.fetchFollowingStrip();
    },
    typeFollowing(name, text) {
      const value = numberOf(text);
      if (value === null && infos[name].optional) return this.setFollowing(name, null);
      if (value === null || !Number.isFinite(value)) {
        this.trouble = `${text || "empty"}: expected ${infos[name].label.toLowerCase()} as a number`;
        return;
      }
      this.setFollowing(name, value);
    },
    followingText(name) {
      const value = this.following[name];
      return value === null || value === undefined ? "" : short(value, 5);
    },
    mattersFollowing(name) {
      return this.followed?.matters.includes(name) ?? false;
    },
    knowsStrip(name) {
      return this.ofFollowing[name] !== undefined;
    },
    offerOfFollowing(name, what) {
      return this.ofFollowing[name]?.[what] ?? "";
    },
    get followedText() {
      const counts = this.followed.counts.map(([word, count]) => `${count} ${word}`).join(", ");
      const broke = this.followed.broke ? ` ${this.followed.broke} broke off and came back under another name.` : "";
      return `${this.followed.targets} targets of ${counts}.${broke}`;
    },
    get mendText() {
      if (!this.mend) return "";
      const { dial, value, left } = this.mend;
      return (
        `${infos[dial].label} at ${short(value, 4)} ${infos[dial].unit}`.trim() + `: ${left} would still break off.`
      );
    },
    takeMend() {
      this.setFollowing(this.mend.dial, this.mend.value);
    },
    takeClutter() {
      if (!this.isDone("clutter")) return;
      this.remember();
      this.own = { ...this.own, clutter: this.study("clutter").result.clutter };
      this.refollow();
    },
    dropClutter() {
      this.remember();
      this.own = { ...this.own, clutter: null };
      this.refollow();
    },
    get clutterText() {
      const { clutter } = this.followed;
      return clutter ? `The map knows ${clutter.cells} cells, of ${clutter.moments} moments.` : "No clutter map yet.";
    },
  };
};
