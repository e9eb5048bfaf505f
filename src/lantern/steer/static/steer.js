// A head by hand: the server speaks to it; this page asks, and renews a move as long as a key is held.
import { ask, address, pageData } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";
import { drawCurve } from "./curve.js";
import { drawPicture } from "./picture.js";
import { drawPlan } from "./plan.js";

const STATE_MS = 400;
const PICTURE_MS = 350;
const AGAIN_MS = 2000; // after a picture that did not come
const MEASURE_MS = 700;
const RENEWED = 0.5; // of the time for which a move holds
const REST_S = 10;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("steer", () => {
    const data = pageData();
    const at = `/devices/${data.device}/steer`;
    let plan = null;
    let held = null;
    let lookSoon = 0;
    return {
      registration: data.registration,
      mounted: data.mounted,
      state: null,
      channels: [],
      channel: "",
      trouble: "",
      lost: "",
      speed: "0.4",
      by: "",
      clicked: null, // in a camera's picture: [code, u, v]
      place: null,
      ahead: null,
      measuring: { open: false, done: 0, of: 0, found: [], said: "" },
      presets: { rows: [], findings: [] },
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
            if (!this.by) this.drawPlace();
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
      goHome() {
        return this.attempt(() => ask("POST", `${at}/home`));
      },

      // ---- a place that is clicked ----

      drawPlace() {
        if (plan) drawPlan(this.$refs.plan, plan, this.registration, this.state, this.ahead, this.place);
      },
      clickPlan(event) {
        const box = this.$refs.plan.getBoundingClientRect();
        const x = ((event.clientX - box.left) / box.width) * data.plan.width_m;
        const y = (1 - (event.clientY - box.top) / box.height) * data.plan.height_m;
        this.choose({ x_m: Number(x.toFixed(2)), y_m: Number(y.toFixed(2)) });
      },
      clickCamera(event) {
        const box = event.target.getBoundingClientRect();
        const camera = data.cameras.find(({ code }) => code === event.target.dataset.camera);
        const u = ((event.clientX - box.left) / box.width) * camera.pixels[0];
        const v = ((event.clientY - box.top) / box.height) * camera.pixels[1];
        this.clicked = [camera.code, u, v];
        this.choose({ camera: camera.code, u_px: u, v_px: v });
      },
      isClicked(code) {
        return this.clicked !== null && this.clicked[0] === code;
      },
      clickedAt(code, axis) {
        return this.isClicked(code) ? this.clicked[1 + axis] : 0;
      },
      async choose(asked) {
        if (!this.registration.known) {
          this.ahead = null;
          if (asked.x_m !== undefined) this.place = [asked.x_m, asked.y_m, 0];
          return this.drawPlace();
        }
        const again =
          this.ahead && asked.x_m !== undefined && this.near(asked) && Date.now() - lookSoon < REST_S * 1000;
        lookSoon = Date.now();
        await this.attempt(async () => {
          this.ahead = await ask("POST", `${at}/preview`, asked);
          this.place = this.ahead.place;
          drawPicture(this.$refs.ahead, this.ahead.picture);
          this.drawPlace();
        });
        if (again) await this.lookThere();
        return undefined;
      },
      near({ x_m: x, y_m: y }) {
        return Math.hypot(x - this.place[0], y - this.place[1]) < data.plan.width_m / 80;
      },
      async lookThere() {
        const [x_m, y_m, z_m] = this.place;
        await this.attempt(async () => {
          await ask("POST", `${at}/look`, { x_m, y_m, z_m });
          this.ahead = null;
          this.drawPlace();
        });
      },
      get placeText() {
        if (!this.place) return "no place is chosen";
        return `x ${short(this.place[0], 4)}, y ${short(this.place[1], 4)} m`;
      },
      get aheadText() {
        if (!this.ahead) return "";
        const [pan, tilt, zoom] = this.ahead.aim;
        return `it would look to ${short(pan, 4)}°, ${short(tilt, 3)}°, ${short(zoom, 3)}x`;
      },

      // ---- registered ----

      get registrationText() {
        const { known, line, pairs, needs } = this.registration;
        if (known) return line;
        const more = Math.max(needs - pairs.length, 0);
        const left = more ? ` ${more} more of ${needs} at least, spread out.` : "";
        return `Choose a place, drive it until that is in the middle, and say so.${left}`;
      },
      pairText({ x_m: x, y_m: y }) {
        return `x ${short(x, 4)}, y ${short(y, 4)}`;
      },
      degText(deg) {
        return deg === null ? "" : `${short(deg, 2)}°`;
      },
      takePair() {
        const [x_m, y_m] = this.place;
        return this.attempt(async () => this.showRegistration(await ask("POST", `${at}/pairs`, { x_m, y_m })));
      },
      takeCheck() {
        const [x_m, y_m] = this.place;
        return this.attempt(async () => this.showRegistration(await ask("PUT", `${at}/check`, { x_m, y_m })));
      },
      dropPair(index) {
        return this.attempt(async () => this.showRegistration(await ask("DELETE", `${at}/pairs/${index}`)));
      },
      showRegistration(found) {
        this.registration = found;
        this.drawPlace();
        this.drawZoom();
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
      goTo({ token }) {
        return this.attempt(() => ask("POST", `${at}/presets/${encodeURIComponent(token)}/go`));
      },
      writeThere({ number }) {
        return this.attempt(async () => {
          const { then } = await ask("POST", `${at}/kept/${number}/write`);
          await this.rests();
          const { token } = await ask("POST", `${at}/presets`, this.onlyKnown(then));
          await ask("PUT", `${at}/kept/${number}`, { name: then.name, token });
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
          await ask("PUT", `${at}/kept/${own}`, { name: there, token });
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
          await ask("PUT", `${at}/kept/${number}`, { name: this.presetName, token });
          this.presetName = "";
          await this.fetchPresets();
        });
      },
    };
  });
});
