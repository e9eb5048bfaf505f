// A head by hand: the server speaks to it; this page asks, and renews a move as long as a key is held.
import { ask, address, pageData } from "/static/js/http.js";
import { joined } from "/static/js/parts.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";
import { drawCurve } from "./curve.js";
import { focusing } from "./focusing.js";
import { masks } from "./masks.js";
import { drawPicture } from "./picture.js";
import { drawMarks, drawPlan } from "./plan.js";

const STATE_MS = 400;
const PICTURE_MS = 350;
const AGAIN_MS = 2000; // after a picture that did not come
const MEASURE_MS = 700;
const RENEWED = 0.5; // of the time for which a move holds
const HOLDERS = {
  manual: "by hand:",
  call: "called:",
  timetable: "by its hours:",
  idle: "idle:",
  none: "stands where it was",
};
const REST_S = 10;
const LEAST_BY_HAND = 4;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("steer", () => {
    const data = pageData();
    const at = `/devices/${data.device}/steer`;
    let plan = null;
    let held = null;
    let lookSoon = 0;
    return joined(masks(at), focusing(at), {
      registration: data.registration,
      mounted: data.mounted,
      state: null,
      channels: [],
      channel: "",
      trouble: "",
      lost: "",
      speed: "0.4",
      by: "",
      chosen: null, // a place of the plan, or a pixel of a fixed picture
      ahead: null,
      measuring: { open: false, done: 0, of: 0, found: [], said: "" },
      matching: { open: false, done: 0, of: 0, found: [], said: "" },
      presets: { rows: [], findings: [] },
      withPicture: false,
      made: null, // how its picture is made
      presetName: "",
      presetNumber: "1",

      async init() {
        plan = await ask("GET", "/plan.json");
        this.drawPlace();
        this.drawZoom();
        if (!data.reached) return;
        this.watch();
        await this.attempt(async () => {
          this.channels = await ask("GET", `${at}/channels`);
          this.channel = this.channels.find(({ turns }) => turns)?.token ?? "";
        });
        this.nextPicture();
        this.fetchPresets();
        this.fetchMasks();
        await this.attempt(async () => {
          this.made = await ask("GET", `${at}/made`);
        });
        this.measuring = await ask("GET", `${at}/zoom`);
        if (this.measuring.open) this.followMeasuring();
        for (const what of ["blur", "pagehide"]) window.addEventListener(what, () => this.release());
      },
      async attempt(work) {
        try {
          await work();
          this.trouble = "";
        } catch (error) {
          this.trouble = error.message;
        }
      },

      // ---- what it shows, and where it looks ----

      async watch() {
        for (;;) {
          try {
            const state = await ask("GET", `${at}/state`);
            this.lost = state.own ? "" : state.error;
            if (state.own) this.state = state;
            this.drawPlace();
            if (state.own) await this.showCorners();
          } catch (error) {
            this.lost = error.message;
          }
          await new Promise((done) => setTimeout(done, STATE_MS));
        }
      },
      nextPicture() {
        this.$refs.picture.src = `${address(at)}/picture?channel=${encodeURIComponent(this.channel)}&n=${Date.now()}`;
      },
      pictureCame() {
        setTimeout(() => this.nextPicture(), PICTURE_MS);
      },
      pictureFailed() {
        setTimeout(() => this.nextPicture(), AGAIN_MS);
      },
      get aimText() {
        if (!this.state) return data.reached ? "asking it" : "";
        if (!this.state.aim) return "where it looks is known once it is registered";
        const [pan, tilt, zoom] = this.state.aim;
        const moving = this.state.moving ? ", moving" : "";
        const wide = `${short(this.state.field_deg, 3)}° wide`;
        return `looks to ${short(pan, 4)}°, ${short(tilt, 3)}° down, ${short(zoom, 3)}x, ${wide}${moving}`;
      },
      get ownText() {
        return this.state ? `its own units: ${this.state.own.map((each) => short(each, 4)).join(", ")}` : "";
      },

      // ---- keys ----

      press(pan, tilt, zoom, event) {
        event.currentTarget.setPointerCapture(event.pointerId);
        const share = Number(this.speed);
        const move = () =>
          this.attempt(() => ask("POST", `${at}/drive`, { pan: pan * share, tilt: tilt * share, zoom: zoom * share }));
        clearInterval(held);
        move();
        held = setInterval(move, 1000 * data.renewS * RENEWED);
      },
      release() {
        if (held === null) return;
        clearInterval(held);
        held = null;
        this.stop();
      },
      stop() {
        return this.attempt(() => ask("POST", `${at}/stop`));
      },
      giveBack() {
        return this.attempt(() => ask("POST", `${at}/release`));
      },
      get heldText() {
        const held = this.state?.held;
        if (!held) return "";
        const until = held.until ? `, until ${held.until}` : "";
        return `${HOLDERS[held.by] ?? held.by} ${held.do} since ${held.since}${until}`;
      },
      get isByHand() {
        return this.state?.held?.by === "manual";
      },
      goHome() {
        return this.attempt(() => ask("POST", `${at}/home`));
      },

      // ---- a place that is clicked: of the plan, or of a fixed picture ----

      get pictures() {
        const bodies = this.channels.filter(({ turns }) => !turns);
        return [
          ...data.cameras.map(({ code, still, pixels, apart }) => ({
            of: code,
            name: `the picture of ${code}`,
            still,
            pixels,
            apart,
          })),
          ...bodies.map(({ token, name, size }) => ({ of: token, name: `its ${name}`, still: null, pixels: size })),
        ];
      },
      get picture() {
        return this.pictures.find(({ of }) => of === this.by) ?? null;
      },
      get apartText() {
        return this.picture?.apart ?? "";
      },
      changeBy() {
        this.chosen = null;
        this.ahead = null;
        if (this.picture) {
          const { still, of } = this.picture;
          this.$refs.still.src = still ? address(still) : `${address(at)}/picture?channel=${encodeURIComponent(of)}`;
        }
        this.drawPlace();
      },
      drawPlace() {
        if (plan && !this.by) drawPlan(this.$refs.plan, plan, this.registration, this.state, this.ahead, this.place);
        if (this.picture)
          drawMarks(this.$refs.stillMarks, this.picture.pixels, this.shownRegistration.pairs, this.chosen);
      },
      get place() {
        if (this.chosen?.x_m !== undefined) return [this.chosen.x_m, this.chosen.y_m];
        return this.ahead?.place ?? null;
      },
      clickPlan(event) {
        const box = this.$refs.plan.getBoundingClientRect();
        const x = ((event.clientX - box.left) / box.width) * data.plan.width_m;
        const y = (1 - (event.clientY - box.top) / box.height) * data.plan.height_m;
        this.choose({ x_m: Number(x.toFixed(2)), y_m: Number(y.toFixed(2)) });
      },
      clickPicture(event) {
        const box = event.target.getBoundingClientRect();
        const [width, height] = this.picture.pixels;
        const u = ((event.clientX - box.left) / box.width) * width;
        const v = ((event.clientY - box.top) / box.height) * height;
        this.choose({ camera: this.by, u_px: Number(u.toFixed(1)), v_px: Number(v.toFixed(1)) });
      },
      async choose(asked) {
        const again = this.ahead && this.chosen && this.isNear(asked) && Date.now() - lookSoon < REST_S * 1000;
        lookSoon = Date.now();
        this.chosen = asked;
        this.drawPlace();
        if (!this.registration.known || (asked.camera && !this.knowsPicture)) return;
        await this.attempt(async () => {
          this.ahead = await ask("POST", `${at}/preview`, asked);
          drawPicture(this.$refs.ahead, this.ahead.picture);
          this.drawPlace();
        });
        if (again) await this.lookThere();
      },
      // A camera speaks of the ground by its mount; another body of the device once it is registered.
      get knowsPicture() {
        return Boolean(this.picture?.still) || (this.registration.seen?.[this.by]?.known ?? false);
      },
      isNear(asked) {
        const [x, y, width] = asked.camera
          ? ["u_px", "v_px", this.picture.pixels[0]]
          : ["x_m", "y_m", data.plan.width_m];
        return Math.hypot(asked[x] - this.chosen[x], asked[y] - this.chosen[y]) < width / 80;
      },
      lookThere() {
        return this.attempt(async () => {
          await ask("POST", `${at}/look`, this.chosen);
          this.ahead = null;
          this.drawPlace();
        });
      },
      get placeText() {
        if (!this.chosen) return "no place is chosen";
        const { x_m: x, y_m: y, u_px: u, v_px: v } = this.chosen;
        return x === undefined ? `pixel ${short(u, 4)}, ${short(v, 4)}` : `x ${short(x, 4)}, y ${short(y, 4)} m`;
      },
      get aheadText() {
        if (!this.ahead) return "";
        const [pan, tilt, zoom] = this.ahead.aim;
        return this.ahead.why_not || `it would look to ${short(pan, 4)}°, ${short(tilt, 3)}°, ${short(zoom, 3)}x`;
      },

      // ---- registered: to the plan, or to the fixed picture that is shown ----

      get shownRegistration() {
        if (!this.by) return this.registration;
        return this.registration.seen?.[this.by] ?? { known: false, pairs: [], said: [] };
      },
      get registeredTitle() {
        return this.picture ? `Registered to ${this.picture.name}` : "Registered to the plan";
      },
      get registrationText() {
        const { known, line, pairs } = this.shownRegistration;
        if (known) return line;
        if (this.by && !this.registration.known) return "Register it to the plan first: its units are not known.";
        const needs = this.by ? 4 : this.registration.needs;
        const more = Math.max(needs - pairs.length, 0);
        const left = more ? ` ${more} more of ${needs} at least, spread out.` : "";
        return `Choose a place, drive it until that is in the middle, and say so.${left}`;
      },
      pairText({ x_m: x, y_m: y, u_px: u, v_px: v }) {
        return x === undefined ? `pixel ${short(u, 4)}, ${short(v, 4)}` : `x ${short(x, 4)}, y ${short(y, 4)}`;
      },
      degText(deg) {
        return deg === null || deg === undefined ? "" : `${short(deg, 2)}°`;
      },
      takePair() {
        const { camera, x_m, y_m, u_px, v_px } = this.chosen;
        return this.attempt(async () => {
          const found = camera
            ? await ask("POST", `${at}/seen/${encodeURIComponent(camera)}`, { u_px, v_px })
            : await ask("POST", `${at}/pairs`, { x_m, y_m });
          this.showRegistration(found);
        });
      },
      takeCheck() {
        const { x_m, y_m } = this.chosen;
        return this.attempt(async () => this.showRegistration(await ask("PUT", `${at}/check`, { x_m, y_m })));
      },
      dropPair(index) {
        const path = this.by ? `seen/${encodeURIComponent(this.by)}/${index}` : `pairs/${index}`;
        return this.attempt(async () => this.showRegistration(await ask("DELETE", `${at}/${path}`)));
      },
      showRegistration(found) {
        this.registration = found;
        this.drawPlace();
        this.drawZoom();
      },

      // ---- registered to another body of the device by itself ----

      get canMatch() {
        return Boolean(this.picture && !this.picture.still && this.shownRegistration.pairs.length >= LEAST_BY_HAND);
      },
      get isMatched() {
        const { open, done, of: all, found } = this.matching;
        return !open && done > 0 && done === all && found.length >= LEAST_BY_HAND;
      },
      get matchText() {
        const { open, done, of: all, found, said } = this.matching;
        if (said) return said;
        return open || done ? `${found.length} found at ${done} of ${all} places` : "";
      },
      match() {
        return this.attempt(async () => {
          this.matching = await ask("POST", `${at}/matching/${encodeURIComponent(this.by)}`);
          while (this.matching.open) {
            await new Promise((done) => setTimeout(done, MEASURE_MS));
            this.matching = await ask("GET", `${at}/matching`);
          }
        });
      },
      stopMatching() {
        return this.attempt(async () => {
          this.matching = await ask("DELETE", `${at}/matching`);
        });
      },
      keepMatch() {
        return this.attempt(async () => {
          this.showRegistration(await ask("PUT", `${at}/matching/${encodeURIComponent(this.by)}`));
          this.matching = { open: false, done: 0, of: 0, found: [], said: "" };
        });
      },

      // ---- zoom ----

      get curve() {
        return this.measuring.found.length ? this.measuring.found : this.registration.zoom;
      },
      get isMeasured() {
        return !this.measuring.open && this.measuring.done > 0 && this.measuring.done === this.measuring.of;
      },
      get zoomText() {
        if (this.measuring.said) return this.measuring.said;
        if (this.measuring.open) return `Measured at ${this.measuring.done} of ${this.measuring.of} values.`;
        const { zoom } = this.registration;
        if (!zoom.length) return "Not measured: what its zoom unit is nobody knows.";
        const [wide, tele] = [zoom[0][1], zoom.at(-1)[1]];
        const times = Math.tan((wide * Math.PI) / 360) / Math.tan((tele * Math.PI) / 360);
        return `Measured: ${short(wide, 3)}° to ${short(tele, 3)}° wide, ${short(times, 3)} times.`;
      },
      drawZoom() {
        this.$nextTick(() => drawCurve(this.$refs.curve, this.curve));
      },
      measure() {
        return this.attempt(async () => {
          this.measuring = await ask("POST", `${at}/zoom`);
          this.followMeasuring();
        });
      },
      async followMeasuring() {
        while (this.measuring.open) {
          await new Promise((done) => setTimeout(done, MEASURE_MS));
          await this.attempt(async () => {
            this.measuring = await ask("GET", `${at}/zoom`);
            this.drawZoom();
          });
        }
      },
      stopMeasuring() {
        return this.attempt(async () => {
          this.measuring = await ask("DELETE", `${at}/zoom`);
        });
      },
      keepZoom() {
        return this.attempt(async () => {
          this.showRegistration(await ask("PUT", `${at}/zoom`));
          this.measuring = { open: false, done: 0, of: 0, found: [], said: "" };
        });
      },

      // ---- how its picture is made ----

      make(wanted) {
        return this.attempt(async () => {
          this.made = await ask("PUT", `${at}/made`, wanted);
        });
      },
      makeFocus(text) {
        const focus = numberOf(text);
        if (focus !== null) this.make({ focus_mode: "MANUAL", focus });
      },
      get madeFocus() {
        return this.made?.focus === null || this.made === null ? "" : short(this.made.focus, 3);
      },
      get hasManualFocus() {
        return this.made?.focus_mode === "MANUAL";
      },
      get hasManualExposure() {
        return this.made?.exposure_mode === "MANUAL";
      },
      makeExposure(text) {
        const milliseconds = numberOf(text);
        if (milliseconds !== null) this.make({ exposure_mode: "MANUAL", exposure_us: milliseconds * 1000 });
      },
      get madeExposure() {
        return this.made?.exposure_us ? short(this.made.exposure_us / 1000, 3) : "";
      },

      // ---- presets ----

      fetchPresets() {
        return this.attempt(async () => {
          this.presets = await ask("GET", `${at}/presets`);
          const numbers = this.presets.rows.map(({ number }) => number ?? 0);
          this.presetNumber = String(Math.max(0, ...numbers) + 1);
        });
      },
      presetKey({ number, token }) {
        return `${number ?? "-"} ${token}`;
      },
      thereText({ there, token }) {
        return there ? `${there} (${token})` : "";
      },
      async rests() {
        for (let waited = 0; waited < REST_S; waited += 0.3) {
          await new Promise((done) => setTimeout(done, 300));
          const state = await ask("GET", `${at}/state`);
          if (state.own && !state.moving) return;
        }
        throw new Error("It moves still: once it has come to rest.");
      },
      // One that is kept here goes with its focus, its exposure, its filter.
      goTo({ number, token }) {
        const path = number ? `kept/${number}` : `presets/${encodeURIComponent(token)}`;
        return this.attempt(async () => {
          await ask("POST", `${at}/${path}/go`);
          this.made = await ask("GET", `${at}/made`);
        });
      },
      writeThere({ number }) {
        return this.attempt(async () => {
          const { then } = await ask("POST", `${at}/kept/${number}/go`);
          await this.rests();
          const { token } = await ask("POST", `${at}/presets`, this.onlyKnown(then));
          await ask("PUT", `${at}/kept/${number}`, { name: then.name, token, with_picture: this.withPicture });
          await this.fetchPresets();
        });
      },
      // A token that the device does not know is none.
      onlyKnown({ name, token }) {
        return this.presets.rows.some((row) => row.token === token && row.there) ? { name, token } : { name };
      },
      takeFrom({ number, there, token }) {
        const own = number ?? Number(this.presetNumber);
        return this.attempt(async () => {
          await ask("POST", `${at}/presets/${encodeURIComponent(token)}/go`);
          await this.rests();
          await ask("PUT", `${at}/kept/${own}`, { name: there, token, with_picture: this.withPicture });
          await this.fetchPresets();
        });
      },
      dropPreset({ number, token, there }) {
        return this.attempt(async () => {
          if (number) await ask("DELETE", `${at}/kept/${number}`);
          else if (there) await ask("DELETE", `${at}/presets/${encodeURIComponent(token)}`);
          await this.fetchPresets();
        });
      },
      keepPreset() {
        const number = numberOf(this.presetNumber);
        return this.attempt(async () => {
          const { token } = await ask("POST", `${at}/presets`, { name: this.presetName });
          await ask("PUT", `${at}/kept/${number}`, { name: this.presetName, token, with_picture: this.withPicture });
          this.presetName = "";
          await this.fetchPresets();
        });
      },
    });
  });
});
