// A bench over the ground of its take's signal: regions are drawn on it, and what was found is seen beneath them.
import { copy } from "./dials.js";

export const overGround =
  (ground) =>
  ({ data, drawn }) => ({
    groundText: "",

    async startView() {
      try {
        const { stage, canvas, overlay } = this.$refs;
        const extent = ground.extent ? await ground.extent(data.take) : data.take;
        drawn.view = new ground.View(
          extent,
          { stage, canvas, overlay },
          {
            choose: (index) => this.chooseRegion(index),
            change: (changed) => {
              this.remember();
              this.regions = copy(changed);
              this.changedRegions();
            },
            add: (shape, points) => this.addRegion(shape, points),
            tool: (tool) => {
              this.tool = tool;
            },
          },
          data.scale.level,
        );
        this.groundText = await ground.ofTake(drawn.view, data.take);
        this.drawView();
        this.$root.dataset.ready = "1";
      } catch (error) {
        this.explain(error);
      }
    },
    drawView() {
      drawn.view?.setRegions(copy(this.regions), this.chosenRegion);
    },
  });
