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
    beside: null,

    fetchCameras() {
      return this.attemptPart(async () => {
        this.cameras = (await this.post(["cameras"])).cameras;
      });
    },
    fetchAlongside() {
      this.beside = null;
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
