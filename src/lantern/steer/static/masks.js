// What a head's picture must not show: drawn in it, corner by corner; the server knows which way a pixel looks.
import { ask } from "/static/js/http.js";
import { el, redraw } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";

const WIDTH = 1280;
const HEIGHT = 720;
const GRIP = 11;
const LEAST = 3;

const path = (corners) => `M${corners.map((corner) => corner.join(" ")).join("L")}Z`;

export const masks = (at) => {
  let dragged = null; // the corner that is held, and where in the picture it is now

  return {
    masks: { rows: [], said: "", unknown: [] },
    draft: null, // of a mask that is drawn: its corners as directions, and where they are in the picture now
    picked: null, // a mask whose corners may be dragged: its row's number
    grips: [],
    maskName: "",

    fetchMasks() {
      return this.attempt(async () => {
        this.masks = await ask("GET", `${at}/masks`);
      });
    },
    changeMasks(method, path, body) {
      return this.attempt(async () => {
        this.masks = await ask(method, `${at}/masks${path}`, body);
        this.showCorners();
      });
    },
    hidesText({ hides }) {
      const parts = hides.map(({ number, name, share }) => `${number} ${name} ${(100 * share).toFixed(0)} %`);
      return parts.length ? parts.join(", ") : "no preset's picture";
    },
    hasMask(i) {
      return this.masks.rows[i] !== undefined;
    },

    // ---- drawn ----

    draw() {
      this.picked = null;
      this.draft = { points: [], pixels: [] };
      this.showCorners();
    },
    undraw() {
      this.draft = null;
      this.showCorners();
    },
    get canDraw() {
      return this.registration.known && this.registration.zoom.length > 0;
    },
    get canKeepMask() {
      return this.draft !== null && this.draft.points.length >= LEAST && this.maskName.trim() !== "";
    },
    get draftText() {
      const count = this.draft?.points.length ?? 0;
      return count < LEAST
        ? `click its corners in the picture, in order: ${count} of ${LEAST} at least`
        : `${count} corners`;
    },
    pixelOf(event) {
      const box = this.$refs.maskSheet.getBoundingClientRect();
      const u = ((event.clientX - box.left) / box.width) * WIDTH;
      const v = ((event.clientY - box.top) / box.height) * HEIGHT;
      return [Number(u.toFixed(1)), Number(v.toFixed(1))];
    },
    async bearing([u, v]) {
      return (await ask("POST", `${at}/bearing`, { u_px: u, v_px: v })).point;
    },
    addCorner(event) {
      if (this.draft === null) return null;
      const pixel = this.pixelOf(event);
      return this.attempt(async () => {
        const point = await this.bearing(pixel);
        this.draft = { points: [...this.draft.points, point], pixels: [...this.draft.pixels, pixel] };
        this.drawMasks();
      });
    },
    dropCorner() {
      const { points, pixels } = this.draft;
      this.draft = { points: points.slice(0, -1), pixels: pixels.slice(0, -1) };
      this.drawMasks();
    },
    async keepMask() {
      await this.changeMasks("POST", "", { name: this.maskName.trim(), points: this.draft.points });
      if (this.trouble) return;
      this.draft = null;
      this.maskName = "";
      this.showCorners();
    },

    // ---- changed ----

    pickMask(i) {
      this.draft = null;
      this.picked = this.picked === i ? null : i;
      if (this.picked !== null) this.$refs.maskSheet.scrollIntoView({ block: "center" });
      this.showCorners();
    },
    changed({ name, points, from_zoom: fromZoom }, change) {
      return { name, points, from_zoom: fromZoom, ...change };
    },
    changeZoom(i, text) {
      const zoom = numberOf(text);
      if (zoom === null) return null;
      return this.changeMasks("PUT", `/${i}`, this.changed(this.masks.rows[i], { from_zoom: zoom }));
    },
    renameMask(i, text) {
      return this.changeMasks("PUT", `/${i}`, this.changed(this.masks.rows[i], { name: text.trim() }));
    },
    dropMask(i) {
      this.picked = null;
      return this.changeMasks("DELETE", `/${i}`);
    },
    giveMask(i) {
      return this.changeMasks("POST", `/${i}/device`);
    },
    holdCorner(event) {
      const corner = event.target.dataset.corner;
      if (corner === undefined || this.picked === null) return;
      dragged = { corner: Number(corner), pixel: this.pixelOf(event) };
      this.$refs.maskSheet.setPointerCapture(event.pointerId);
    },
    moveCorner(event) {
      if (dragged === null) return;
      dragged.pixel = this.pixelOf(event);
      this.grips = this.grips.map((grip, n) => (n === dragged.corner ? dragged.pixel : grip));
      this.drawMasks();
    },
    letGoCorner() {
      if (dragged === null) return null;
      const { corner, pixel } = dragged;
      dragged = null;
      return this.attempt(async () => {
        const row = this.masks.rows[this.picked];
        const points = [...row.points];
        points[corner] = await this.bearing(pixel);
        await this.changeMasks("PUT", `/${this.picked}`, this.changed(row, { points }));
      });
    },

    // ---- shown ----

    // Where the corners that are worked on lie in the picture now: asked again as long as it turns.
    async showCorners() {
      const points = this.draft?.points ?? this.masks.rows[this.picked]?.points ?? [];
      let pixels = [];
      if (points.length && this.state?.own) ({ pixels } = await ask("POST", `${at}/corners`, { points }));
      if (dragged !== null) return;
      if (this.draft && pixels.length === this.draft.points.length) this.draft.pixels = pixels;
      this.grips = this.draft ? [] : pixels;
      this.drawMasks();
    },
    drawMasks() {
      const svg = this.$refs.maskSheet;
      const parts = (this.state?.masks ?? []).flatMap(([name, areas]) =>
        areas.map((corners) => el("path", { class: "mask", d: path(corners) }, el("title", {}, name))),
      );
      const line = (this.draft?.pixels ?? this.grips).filter((each) => each !== null);
      if (line.length > 1) parts.push(el("path", { class: "mask drawn", d: path(line) }));
      (this.draft?.pixels ?? this.grips).forEach((pixel, corner) => {
        if (pixel === null) return;
        const [cx, cy] = pixel;
        parts.push(el("circle", { class: "grip", cx, cy, r: GRIP, "data-corner": corner }));
      });
      redraw(svg, parts);
    },
  };
};
