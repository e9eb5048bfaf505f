// How long each preset's picture takes to become sharp: measured from the head's own pictures, and kept.
import { ask } from "/static/js/http.js";
import { short } from "/static/js/svg.js";

const LOOK_MS = 700;

export const focusing = (at) => ({
  focusing: { open: false, done: 0, of: 0, found: [], said: "" },
  focusedNumber: null,

  sharpText({ number, sharp_s: sharp }) {
    if (this.focusing.open && number === this.focusedNumber) return "watching ...";
    if (!sharp) return "";
    const [alone, own] = sharp.map((s) => (s === null ? null : `${short(s, 2)} s`));
    return own === null ? alone : `${own} (by itself ${alone})`;
  },
  measureFocus({ number }) {
    return this.attempt(async () => {
      this.focusedNumber = number;
      this.focusing = await ask("POST", `${at}/kept/${number}/sharp`);
      while (this.focusing.open) {
        await new Promise((done) => setTimeout(done, LOOK_MS));
        this.focusing = await ask("GET", `${at}/sharp`);
      }
      if (this.focusing.said) throw new Error(this.focusing.said);
      this.showRegistration(await ask("PUT", `${at}/sharp`));
      await this.fetchPresets();
    });
  },
});
