// A scene on the bench: tracks by verdict, one object's life, classes, presence, room before the lines.
import { saveCanvas, saveCsv } from "/static/js/export.js";
import { ask, address } from "/static/js/http.js";
import { SceneView } from "/static/signals/tracks/view.js";
import { clock, short } from "/static/js/svg.js";
import { fetchTracks } from "/static/signals/tracks/tracks.js";
import { PLAIN, quantityOf } from "/static/js/units.js";
import { copy } from "/static/tune/bench/dials.js";
import { arrowsOf } from "./arrows.js";
import { LOOKS, look } from "./looks.js";

const toggled = (names, name) => (names.includes(name) ? names.filter((each) => each !== name) : [...names, name]);

const MAPS = ["", "presence", "dwell"];

export const scene = ({ data, drawn, keys, addressed }) => {
  Object.assign(keys, {
    b: (page) => page.seek(page.t - 5, true),
    g: (page) => page.showCells(MAPS[(MAPS.indexOf(page.cells) + 1) % MAPS.length]),
    Escape: (page) => page.pickObject(-1),
  });
  addressed.object = (page) => page.chosenObject ?? null;
  return {
    regionOptions: { target_mm: { ...PLAIN, unit: "mm" } },
    counted: [], // pairs: a verdict, an index into data.verdicts, and how many objects have it
    hidden: [],
    hiddenClasses: [],
    beside: null,
    life: null,
    cells: "", // presence, dwell, or none
    chosenObject: new URLSearchParams(location.search).get("object"),

    startView() {
      const parts = { stage: this.$refs.stage, canvas: this.$refs.canvas, overlay: this.$refs.overlay };
      drawn.view = new SceneView(data.take, parts, {
        choose: (index) => this.chooseRegion(index),
        moving: (changed) => {
          this.takeRegions(changed);
          this.moved = true;
          this.judgeSoon();
        },
        // the tracks change while a line is dragged
        change: (changed) => {
          this.takeRegions(changed);
          this.moved = false;
          this.changedRegions();
        },
        add: (shape, points) => this.addRegion(shape, points),
        tool: (tool) => {
          this.tool = tool;
        },
        pickObject: (index) => this.pickObject(index),
      });
      drawn.view.looks = LOOKS;
      drawn.view.numbered = data.numbered;
      this.loadScene();
      new MutationObserver(() => drawn.view.drawTracks()).observe(document.documentElement, {
        attributes: true,
        attributeFilter: ["data-scheme"],
      });
    },
    async loadScene() {
      try {
        const [tracks, first] = await Promise.all([
          fetchTracks(address(`/takes/${data.take.id}/tracks`)),
          this.post(["objects"]),
        ]);
        if (data.take.still) {
          const image = new Image();
          image.src = address(`/takes/${data.take.id}/still`);
          await image.decode();
          drawn.view.still = image;
        }
        drawn.tracks = tracks;
        this.setObjects(first.objects);
        drawn.view.setTracks(tracks, this.dials.anchor);
        this.drawView();
        if (this.chosenObject !== null) this.pickObject(tracks.ids.indexOf(this.chosenObject));
        this.$root.dataset.ready = "1";
      } catch (error) {
        this.explain(error);
      }
    },
    async judgeFirst() {
      // the tracks in their new colours: what the eye follows while a line is dragged
      if (!drawn.tracks) return;
      drawn.view.awaits();
      try {
        this.setObjects((await this.post(["objects"])).objects);
      } finally {
        drawn.view.rests();
      }
      if (drawn.view.anchor !== this.dials.anchor) drawn.view.setAnchor(this.dials.anchor);
      this.drawView();
      if (this.life) this.fetchLife();
    },
    evidenceRenewed() {
      if (["regions", "objects"].includes(this.tab)) this.fetchBeside();
      this.countsRenewed?.();
    },
    takeRegions(changed) {
      if (!this.moved) this.remember();
      this.regions = copy(changed);
    },
    // a drag is one step to undo
    regionsChanged() {
      this.evidenceRenewed();
    },
    drawView() {
      if (!drawn.view) return;
      drawn.view.band = this.dials.band ?? 0;
      drawn.view.arrows = arrowsOf(data.arrows, this.dials);
      drawn.view.setRegions(copy(this.regions), this.chosenRegion);
    },
    showAt(t) {
      drawn.view.setTime(t);
    },
    setObjects(objects) {
      drawn.objects = objects;
      const counts = new Map();
      for (const v of objects) counts.set(v, (counts.get(v) ?? 0) + 1);
      this.counted = [...counts].sort((a, b) => a[0] - b[0]);
      drawn.view.setCodes(objects.map((v) => data.verdicts[v].code));
    },

    // ---- which are seen ----

    get verdictCounts() {
      return this.counted.map(([v, n]) => ({
        code: data.verdicts[v].code,
        words: data.verdicts[v].words,
        n,
        on: !this.hidden.includes(data.verdicts[v].code),
      }));
    },
    dash(code) {
      return look(code).dash.join(" ");
    },
    stroke(code) {
      return `swatch-${look(code).colour}`;
    },
    toggleVerdict(code) {
      this.hidden = toggled(this.hidden, code);
      this.showThose();
    },
    toggleClass(name) {
      this.hiddenClasses = toggled(this.hiddenClasses, name);
      this.showThose();
    },
    classShown(name) {
      return !this.hiddenClasses.includes(name);
    },
    showThose() {
      // asked of every track at every drawing: so of plain sets, and not at all where nothing is hidden
      const verdicts = new Set(this.hidden.map((code) => data.verdicts.findIndex((v) => v.code === code)));
      const classes = new Set(this.hiddenClasses);
      drawn.view.setShown(
        verdicts.size + classes.size === 0
          ? null
          : (i) => !verdicts.has(drawn.objects[i]) && !classes.has(this.classOf(i)),
      );
    },
    classOf(i) {
      return drawn.tracks.usual[i];
    }, // what it is mostly taken for
    toggleCells(name) {
      this.showCells(this.cells === name ? "" : name);
    },
    showCells(name) {
      this.cells = name;
      if (name && !this.beside) this.fetchBeside();
      else this.drawCells();
    },
    drawCells() {
      drawn.view.map = this.cells ? this.beside.maps[this.cells] : null;
      drawn.view.drawTracks();
    },
    get cellsText() {
      if (!this.cells || !this.beside) return "";
      const most = short(this.beside.maps[this.cells].most_s, 3);
      return this.cells === "presence"
        ? `all together, up to ${most} s a cell`
        : `the longest stay of one, up to ${most} s a cell`;
    },

    // ---- one object ----

    eventPicked(event) {
      if (event.object !== null && drawn.tracks) this.pickObject(drawn.tracks.ids.indexOf(String(event.object)));
    },

    pickObject(index) {
      drawn.view.setObject(index);
      if (index < 0) {
        this.life = this.chosenObject = null;
        this.restoreAxis();
        this.writeAddress();
        return;
      }
      this.chosenObject = drawn.tracks.ids[index];
      this.fetchLife(true);
    },
    async fetchLife(move = false) {
      try {
        this.life = await ask("POST", `/bench/${data.detectorId}/object/${encodeURIComponent(this.chosenObject)}`, {
          take: data.take.id,
          detector: this.draft,
        });
        if (move && (this.t < this.life.from_s || this.t > this.life.to_s)) this.seek(this.lifeMoment(), true);
        this.axisOfLife();
        this.writeAddress();
      } catch (error) {
        this.explain(error);
      }
    },
    lifeMoment() {
      return (
        this.events.find((e) => String(e.object) === String(this.life.id))?.raised_s ??
        (this.life.from_s + this.life.to_s) / 2
      );
    },
    axisOfLife() {
      drawn.axis.quantity = quantityOf(this.life.traces);
      drawn.axis.set({ readings: this.life.traces, lane: "reading" });
    },
    restoreAxis() {
      if (drawn.axis) this.readingsSoon();
    },
    get lifeText() {
      const l = this.life;
      if (!l) return "";
      const classes = Object.entries(l.classes)
        .map(([name, n]) => `${name} ${Math.round((100 * n) / l.samples)} %`)
        .join(", ");
      return (
        `${classes}; ${Math.round(l.height_px[0])} to ${Math.round(l.height_px[1])} px high` +
        `${l.height_m ? `, ${l.height_m[0].toFixed(2)} to ${l.height_m[1].toFixed(2)} m tall` : ""}` +
        `; confidence ${l.confidence}; ${short(l.to_s - l.from_s, 3)} s from ` +
        `${clock(data.take, l.from_s, true)}${l.cut_off ? `; ${l.cut_off} samples cut off by the edge` : ""}`
      );
    },
    markLife(label) {
      if (this.life)
        this.addMark({
          start_s: this.life.from_s,
          end_s: this.life.to_s,
          label,
          detector: data.detector.name,
          note: `object ${this.life.id}`,
        });
    },

    // ---- classes and room ----

    async fetchBeside() {
      try {
        ({ beside: this.beside } = await this.post(["beside"]));
        if (this.cells) this.drawCells();
      } catch (error) {
        this.explain(error);
      }
    },
    get classes() {
      return this.beside?.classes ?? [];
    },
    // by what is set here: what the server said last may be older than the hand
    classCounts(name) {
      return (this.dials.classes ?? [name]).includes(name);
    },
    setClass(name, on) {
      const all = this.classes.map((c) => c.name);
      const now = this.dials.classes ?? all;
      const next = on ? [...new Set([...now, name])] : now.filter((c) => c !== name);
      this.remember();
      this.dials.classes = next.length === all.length ? null : next;
      this.refresh();
      this.fetchBeside();
    },
    classText(c) {
      return (
        `${c.raises} ${c.raises === 1 ? "raise" : "raises"}: ${c.hits} ${c.hits === 1 ? "hit" : "hits"}, ` +
        `${c.false_alarms} false`
      );
    },
    get roomLines() {
      return (this.beside?.room ?? []).map((r) => ({
        key: `${r.region} ${r.side}`,
        bad: !r.enough,
        text:
          `${r.region}, side ${r.side}: ${Math.round(r.has_px)} px to the picture's edge, ` +
          `${Math.round(r.needs_px)} px needed (${Math.round(r.size_px)} px large, ` +
          `${Math.round(r.speed_px_s)} px/s)`,
      }));
    },
    get paceText() {
      const p = this.beside?.least_fps;
      return p
        ? `${p.has} frames a second; the fastest need ${p.needs} for their boxes to overlap from one to the next`
        : "";
    },
    figureRole(region) {
      return region.role === "reference";
    },

    // ---- files ----

    exportPicture() {
      saveCanvas(this.$refs.canvas, "scene");
    },
    exportObjects() {
      const { ids, spans, t_s } = drawn.tracks;
      saveCsv(
        [
          ["object", "class", "from_s", "to_s", "samples", "verdict"],
          ...ids.map((id, i) => [
            id,
            this.classOf(i),
            t_s[spans[i]].toFixed(3),
            t_s[spans[i + 1] - 1].toFixed(3),
            spans[i + 1] - spans[i],
            data.verdicts[drawn.objects[i]].words,
          ]),
        ],
        "objects",
      );
    },
  };
};
