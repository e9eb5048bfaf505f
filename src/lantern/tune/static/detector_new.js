// A detector from nothing: a kind, and regions drawn on a take, on what comes live, on a picture file, or chosen by
// name.
import { address, ask, pageData } from "/static/js/http.js";
import { PlainView } from "/static/signals/plainview.js";
import { el } from "/static/js/svg.js";

const LIVE_MS = 1000;
const copy = (value) => JSON.parse(JSON.stringify(value));
const plain = { View: PlainView };
const groundAt = async (script) => (await import(script)).ground;

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
      ground: "",
      tool: null,
      trouble: "",
      hint: "",
      busy: false,
      sized: data.size !== null,
      pictured: false,

      init() {
        this.ground = this.grounds[0]?.key ?? "";
        this.show();
      },
      get of() {
        return data.kinds[this.kind] ?? { shapes: [], signals: [], regions: "needed" };
      },
      get shapes() {
        return this.drawable ? this.of.shapes : [];
      },
      get take() {
        return byKey.get(this.ground) ?? null;
      },
      get named() {
        return this.take?.named ?? [];
      },
      get byName() {
        return this.named.length > 0;
      },
      // Is there anything that regions of this kind are drawn on?
      get drawable() {
        return this.of.regions !== "none" && !this.byName && this.ground !== "";
      },
      get grounds() {
        const fit = data.grounds.filter((g) => this.of.signals.includes(g.signal));
        const takes = fit
          .filter((g) => g.ground || g.named.length)
          .map((g) => ({ key: `take-${g.id}`, words: `the take ${g.name}` }));
        const others = [
          data.size && { key: "plain", words: "plain ground" },
          data.ground && { key: "live", words: "what comes live" },
          drawn.picture && { key: "picture", words: "the picture file" },
        ];
        return [...takes, ...others.filter(Boolean)];
      },
      get wanted() {
        if (this.byName) return "Choose what it watches on the left.";
        const drawing = `Draw a ${this.of.shapes.join(" or a ")} on the left.`;
        return this.of.regions === "optional"
          ? `None: it watches all that the device sees. ${drawing.slice(0, -1)} to watch less.`
          : drawing;
      },
      get lacks() {
        return this.of.regions === "needed" && this.regions.length === 0;
      },

      // Why it cannot be made yet.
      get notYet() {
        if (this.busy) return "It is being made";
        if (this.lacks) return this.wanted;
        return this.name.trim() === "" ? "Give it a name first" : "";
      },

      // ---- what is drawn on ----

      setGround(key) {
        const before = this.take?.space.name;
        this.ground = key;
        if (before !== this.take?.space.name && (before ?? this.take?.space.name) !== "picture") this.regions = [];
        this.show();
      },
      async show() {
        clearTimeout(drawn.timer);
        const turn = (drawn.turn += 1);
        this.hint = "";
        this.trouble = "";
        if (!this.drawable) return;
        try {
          if (this.take) await this.showTake(turn);
          else if (this.ground === "live") await this.showLive(turn);
          else this.showPlain();
        } catch (error) {
          if (turn === drawn.turn) this.trouble = error.message;
        }
      },
      async showTake(turn) {
        const take = this.take;
        const ground = await groundAt(take.ground);
        const extent = ground.extent ? await ground.extent(take, data.device.id) : take;
        if (turn !== drawn.turn) return;
        const hint = await ground.ofTake(this.begin(ground, extent.width ? extent : this.sizeOf(take)), take);
        if (turn === drawn.turn) this.hint = hint;
      },
      // A take that does not tell how large its picture is lies in that of the device.
      sizeOf(thing) {
        if (!data.size) throw new Error(`how large the picture of ${data.device.code} is, is not known`);
        return { ...thing, width: data.size[0], height: data.size[1] };
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
          : `${data.device.code} has stopped sending: what came last`;
        const ground = await groundAt(data.ground);
        const extent = ground.extent ? await ground.extent(feed, data.device.id) : feed;
        if (turn !== drawn.turn) return;
        const size = extent.width ? extent : this.sizeOf(feed);
        const view = drawn.view?.of === "live" ? drawn.view : this.begin(ground, size, "live");
        await ground.ofFeed(view, feed, data.device.id);
      },
      showPlain() {
        const [width, height] = this.ground === "picture" ? drawn.size : data.size;
        const view = this.begin(plain, { width, height });
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
      begin(ground, extent, of = "") {
        drawn.view?.close();
        this.sized = true;
        this.pictured = ground.pictured === true;
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
        drawn.view = new ground.View(extent, { stage, canvas, overlay }, on, data.scale.level);
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
        const { shapes, regions } = this.of;
        if (regions === "none") this.regions = [];
        if (!this.byName) this.regions = this.regions.filter((region) => shapes.includes(region.shape));
        if (this.grounds.some((g) => g.key === this.ground)) this.draw();
        else this.setGround(this.grounds[0]?.key ?? "");
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
        if (!this.byName) drawn.view?.setRegions(copy(this.regions), chosen);
      },
      isWatched(name) {
        return this.regions.some((region) => region.name === name);
      },
      setWatched(name, on) {
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
