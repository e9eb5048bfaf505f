// The radar beside a camera that recorded meanwhile: what both saw, what only one of them did.
import { numberOf } from "/static/js/units.js";
import { short } from "/static/js/svg.js";

export const alongside = ({ shown }) => {
  shown.target = (page) => page.fetchCameras();
  return {
    cameras: [],
    cameraTake: "",
    gateM: "3",
    withinS: "1",
    wants: "",
    beside: null,

    fetchCameras() {
      return this.attemptPart(async () => {
        this.cameras = (await this.post(["cameras"])).cameras;
        this.showBeside();
      });
    },
    // The fields say what the detector asks for, until somebody chooses another take.
    showBeside() {
      const asked = this.own.beside;
      this.wants = asked?.wants ?? "";
      if (!asked) return;
      this.gateM = short(asked.gate_m, 4);
      this.withinS = short(asked.within_s, 4);
      const take = this.cameras.find((each) => each.code === asked.device);
      this.cameraTake = take ? String(take.id) : "";
    },
    takeBeside() {
      const device = this.cameras.find((each) => String(each.id) === this.cameraTake)?.code ?? this.own.beside?.device;
      if (this.wants && !device) {
        this.trouble = "Choose a take of the camera first.";
        this.wants = "";
        return;
      }
      const asked = { device, wants: this.wants, gate_m: numberOf(this.gateM), within_s: numberOf(this.withinS) };
      this.remember();
      this.own = { ...this.own, beside: this.wants ? asked : null };
      this.refresh();
    },
    get needsText() {
      const asked = this.own.beside;
      if (!asked) return "";
      const needed =
        asked.wants === "both" ? `${asked.device} must see the same` : `${asked.device} must see nothing there`;
      const near = `within ${short(asked.gate_m, 4)} m, at most ${short(asked.within_s, 4)} s before`;
      return `${needed}, ${near}. While it is away the radar raises by itself.`;
    },
    fetchAlongside() {
      this.beside = null;
      if (this.own.beside && this.wants) this.takeBeside();
      if (!this.cameraTake) return undefined;
      return this.attemptPart(async () => {
        const also = {
          camera_take: Number(this.cameraTake),
          gate_m: numberOf(this.gateM),
          within_s: numberOf(this.withinS),
        };
        this.beside = (await this.post(["alongside"], { also })).alongside;
        this.trouble = "";
      });
    },
    get besideText() {
      const { both, radar, camera, common_s: common } = this.beside;
      const alone = `${radar.length} the radar alone, ${camera.length} the camera alone`;
      return `In ${short(common, 4)} s both saw ${both.length} things, ${alone}.`;
    },
    get besideRows() {
      const { both, radar, camera } = this.beside;
      return [
        ...both.map(([one, other, from, until, apart]) => ({
          key: `both ${one}`,
          radar: one,
          camera: other,
          words: `${short(from, 4)} to ${short(until, 4)} s, ${short(apart, 2)} m apart`,
        })),
        ...radar.map((one) => ({ key: `radar ${one}`, radar: one, camera: "", words: "only the radar" })),
        ...camera.map((other) => ({ key: `camera ${other}`, radar: "", camera: other, words: "only the camera" })),
      ];
    },
  };
};
