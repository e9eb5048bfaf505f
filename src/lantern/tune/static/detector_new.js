// A detector from nothing: a kind, and regions drawn on a take, on the live picture, on a picture file, or chosen as
// columns.
import { address, ask, pageData } from "/static/js/http.js";
import { HeatView, fetchFrame } from "/static/signals/heat/view.js";
import { SceneView } from "/static/signals/tracks/view.js";
import { el } from "/static/js/svg.js";
import { fetchTracks } from "/static/signals/tracks/tracks.js";

const LIVE_MS = 1000;
const copy = (value) => JSON.parse(JSON.stringify(value));

document.addEventListener("alpine:init", () => {
  window.Alpine.data("maker", () => {
    const data = pageData();
    const drawn = { view: null, timer: 0, turn: 0, picture: null };
    // out of Alpine's sight: drawing needs no reactivity
    const byKey = new Map(data.grounds.map((g) => [`take-${g.id}`, g]));
    return {
      kind: data.chosen,
      name: "",
      regions: [],
      ground: byKey.keys().next().value ?? (data.size ? "plain" : "live"),
      tool: null,
      trouble: "",
      hint: "",
      busy: false,
      sized: data.size !== null,
      heat: false,

      init() {
        this.show();
      },
      get shapes() {
        return this.ofColumns ? [] : (data.kinds[this.kind] ?? []);
      },
      get take() {
        return byKey.get(this.ground) ?? null;
      },
      get ofColumns() {
        return this.take?.view === "columns";
      },
      get ofHeat() {
        return this.heat;
      },
      get columns() {
        return this.take?.columns ?? [];
      },
      get grounds() {
        const takes = data.grounds.map((g) => ({ key: `take-${g.id}`, words: `the take ${g.name}` }));
        const others = [{ key: "live", words: "the live picture" }];
        if (data.size) others.push({ key: "plain", words: "plain ground" });
        if (drawn.picture) others.push({ key: "picture", words: "the picture file" });
        return [...takes, ...others];
      },
      get wanted() {
        return this.ofColumns ? "Choose a column on the left." : `Draw a ${this.shapes.join(" or a ")} on the left.`;
      },

      // ---- what is drawn on ----

      setGround(key) {
        const had = this.ofColumns;
        this.ground = key;
        if (had !== this.ofColumns) this.regions = [];
        this.show();
      },
      async show() {
        clearTimeout(drawn.timer);
        const turn = (drawn.turn += 1);
        this.hint = "";
        this.trouble = "";
        if (this.ofColumns) return;
        try {
          if (this.take) await (this.take.view === "frames" ? this.showFrame(turn) : this.showTracks(turn));
          else if (this.ground === "live") await this.showLive(turn);
          else this.showPlain();
        } catch (error) {
          if (turn === drawn.turn) this.trouble = error.message;
        }
      },
      async showFrame(turn) {
        const take = this.take;
        const dtype = take.dtype === "uint16" ? "uint16" : "float32";
        const pixels = await fetchFrame(address(`/takes/${take.id}/frames/${Math.floor(take.samples / 2)}`), dtype);
        if (turn !== drawn.turn) return;
        this.begin(HeatView, take).show(pixels);
        drawn.view.setScale(...drawn.view.range());
      },
      async showTracks(turn) {
        const take = this.take;
        const tracks = await fetchTracks(address(`/takes/${take.id}/tracks`));
        const still = take.still ? new Image() : null;
        if (still) {
          still.src = address(`/takes/${take.id}/still`);
          await still.decode();
        }
        if (turn !== drawn.turn) return;
        const view = this.begin(SceneView, take);
        view.still = still;
        view.codes = tracks.ids.map(() => "unjudged");
        view.setTracks(tracks, "foot");
        this.hint = `${tracks.ids.length} ways of objects`;
      },
      async showLive(turn) {
        const feed = await ask("GET", `/devices/${data.device.id}/live`);
        if (turn !== drawn.turn) return;
        drawn.timer = setTimeout(
          () =>
            this.showLive(turn).catch((error) => {
              this.trouble = error.message;
            }),
          LIVE_MS,
        );
        if (!feed?.received) {
          this.hint = `nothing has come from ${data.device.code} yet`;
          if (!drawn.view && data.size) this.showPlain();
          return;
        }
        this.hint = feed.live
          ? `live, ${feed.fps.toFixed(1)} frames a second`
          : `${data.device.code} has stopped sending: its last picture`;
        if (feed.objects) {
          const view =
            drawn.view?.of === "live"
              ? drawn.view
              : this.begin(SceneView, { ...feed, intervalS: 1 / feed.fps }, "live");
          view.live = feed.objects.map(([id, x, y, w, h, label]) => ({
            x,
            y,
            w,
            h,
            text: `${id} ${label || "unknown"}`,
          }));
          view.paint();
          return;
        }
        const pixels = await fetchFrame(address(`/devices/${data.device.id}/frame`), feed.dtype);
        if (turn !== drawn.turn || pixels.length !== feed.width * feed.height) return;
        const fresh = drawn.view?.of !== "live";
        const view = fresh ? this.begin(HeatView, feed, "live") : drawn.view;
        view.show(pixels);
        if (fresh) view.setScale(...view.range());
      },
      showPlain() {
        const [width, height] = this.ground === "picture" ? drawn.size : data.size;
        const view = this.begin(SceneView, { width, height, intervalS: 0.1 });
        if (this.ground === "picture") view.still = drawn.picture;
      },
      async openPicture(files) {
        if (!files.length) return;
        try {
          drawn.picture = await createImageBitmap(files[0]);
          drawn.size = data.size ?? [drawn.picture.width, drawn.picture.height];
          this.ground = "picture";
          this.show();
        } catch {
          this.trouble = `${files[0].name} cannot be read as a picture; expected a PNG or JPEG file`;
        }
      },
      // A view on a stage of its own: what the last one listened to goes with it.
      begin(View, picture, of = "") {
        drawn.view?.close();
        this.sized = true;
        this.heat = View === HeatView;
        const canvas = Object.assign(document.createElement("canvas"), { role: "img" });
        canvas.setAttribute("aria-label", `What ${data.device.code} sees`);
        const overlay = el("svg", { class: "overlay", "aria-label": "Regions" });
        const stage = Object.assign(document.createElement("div"), { className: "stage" });
        stage.append(canvas, overlay);
        this.$refs.room.replaceChildren(stage);
        const on = {
          choose: (index) => {
            drawn.view.setRegions(copy(this.regions), index);
          },
          change: (regions) => {
            this.regions = copy(regions);
          },
          add: (shape, points) => this.add(shape, points),
          tool: (tool) => {
            this.tool = tool;
          },
        };
        drawn.view = new View(picture, { stage, canvas, overlay }, on, data.scale.level);
        drawn.view.of = of;
        drawn.view.lineDrawn = (line) => {
          if (line) drawn.view.finish("line", line);
        };
        drawn.view.setRegions(copy(this.regions), -1);
        this.$nextTick(() => drawn.view.fit());
        this.$root.dataset.ready = this.ground;
        return drawn.view;
      },

      // ---- regions ----

      setTool(tool) {
        this.tool = this.tool === tool ? null : tool;
        drawn.view?.setTool(this.tool);
      },
      setKind(kind) {
        this.kind = kind;
        if (!this.ofColumns) this.regions = this.regions.filter((region) => this.shapes.includes(region.shape));
        this.draw();
      },
      add(shape, points) {
        let number = 1;
        while (this.regions.some((region) => region.name === `${shape} ${number}`)) number += 1;
        this.regions = [...this.regions, { name: `${shape} ${number}`, shape, points }];
        this.draw(this.regions.length - 1);
      },
      rename(index, name) {
        if (name.trim()) this.regions[index] = { ...this.regions[index], name: name.trim() };
        this.draw(index);
      },
      drop(index) {
        this.regions = this.regions.filter((_, i) => i !== index);
        this.draw();
      },
      draw(chosen = -1) {
        if (!this.ofColumns) drawn.view?.setRegions(copy(this.regions), chosen);
      },
      hasColumn(name) {
        return this.regions.some((region) => region.name === name);
      },
      setColumn(name, on) {
        const others = this.regions.filter((region) => region.name !== name);
        this.regions = on ? [...others, { name, shape: "spot", points: [[0, 0]] }] : others;
      },

      async make() {
        this.busy = true;
        this.trouble = "";
        try {
          const body = { device_id: data.device.id, name: this.name, kind: this.kind, regions: this.regions };
          const { id } = await ask("POST", "/detectors", body);
          location.href = address(`/bench/${id}${this.take ? `?take=${this.take.id}` : ""}`);
        } catch (error) {
          this.trouble = error.message;
          this.busy = false;
        }
      },
    };
  });
});
