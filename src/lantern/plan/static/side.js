// The chosen device from the side: along its axis, or across its azimuth where it looks down. Its height, tilt
// and roll are dragged here.
import { el } from "/static/js/svg.js";
import { short } from "./parts.js";
import * as along from "./side_along.js";
import * as beneath from "./side_beneath.js";
import { within } from "./side_parts.js";
import { data, find } from "./state.js";

const VIEWS = { along, beneath };
const now = { device: null, scale: null, at: null }; // `at`: the share of what is shown at which somebody stands

export function sideView(device) {
  const part = find("side-part");
  const told = device?.side;
  part.hidden = !told;
  if (!told) return;
  const view = VIEWS[told.what];
  find("side-title").textContent = view.title(device);
  const svg = find("side");
  svg.setAttribute("viewBox", `0 0 ${view.size.join(" ")}`);
  if (now.device !== device || now.view !== view) now.at = null;
  // while it is dragged, the drawing keeps its scale
  const scale = now.held && now.view === view ? now.scale : view.scales(told);
  Object.assign(now, { device, scale, view });
  now.at ??= view.firstAt(told);
  const stands = view.someone(told, now.at, scale);
  svg.replaceChildren(...view.draw(told, scale, data.edits), ...(stands ? [stands.drawn] : []));
  find("side-range").value = String(Math.round(now.at * 100));
  find("side-told").textContent = stands?.words ?? "";
  rollView(device);
}

// The camera's picture as it hangs, seen from behind: an upright that leans by its roll.
function rollView(device) {
  const roll = device.mount.roll_deg ?? 0;
  const turned = el(
    "g",
    { transform: `rotate(${roll})` },
    el("rect", { class: "roll-frame", x: -15, y: -9, width: 30, height: 18 }),
    el("line", { class: "roll-up", y1: -9, y2: -15 }),
    el("circle", { class: "axis-grip", cy: -17, r: 3, "data-roll-grip": "" }, el("title", {}, "drag: roll")),
  );
  find("roll").replaceChildren(el("line", { class: "horizon", x1: -22, x2: 22 }), turned);
  find("roll-told").textContent = `roll ${short(roll)}°`;
}

// ---- dragged ----

const MOVED = {
  height: ([, high]) => ({ height_m: within(Math.round(high * 20) / 20, 0.3, 100) }),
  tilt: ([at, high]) => {
    const fall = now.device.mount.height_m - high;
    const tilt = Math.round((Math.atan2(fall, Math.max(at, 0.1)) * 1800) / Math.PI) / 10;
    return { tilt_deg: within(tilt, -30, 79) }; // steeper than that it looks straight down, and is typed
  },
};

export function setUpSide(acts) {
  const [svg, roll] = [find("side"), find("roll")];
  const stand = (share) => {
    now.at = within(share, 0.01, 1);
    sideView(now.device);
  };
  find("side-range").addEventListener("input", (event) => stand(Number(event.target.value) / 100));
  const place = (event) => {
    const box = svg.getBoundingClientRect();
    const k = now.view.size[0] / box.width;
    return now.scale.metres((event.clientX - box.left) * k, (event.clientY - box.top) * k);
  };
  const turned = (event) => {
    const box = roll.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left - box.width / 2, event.clientY - box.top - box.height / 2];
    return { roll_deg: Math.round((Math.atan2(x, -y) * 180) / Math.PI) };
  };
  const hold = (part, taken) => {
    part.addEventListener("pointerdown", (event) => {
      const grip = taken(event.target);
      if (!grip) return;
      part.setPointerCapture(event.pointerId);
      now.held = grip;
    });
    part.addEventListener("pointermove", (event) => {
      if (now.held === "someone") stand(now.view.shareOf(now.device.side, place(event)));
      else if (now.held)
        acts.change(now.device, now.held === "roll" ? turned(event) : MOVED[now.held](place(event)), true);
    });
    part.addEventListener("pointerup", () => {
      const held = now.held;
      now.held = null;
      if (held && held !== "someone") acts.change(now.device, {});
    });
  };
  hold(svg, (target) => target.closest("[data-grip]")?.dataset.grip);
  hold(roll, (target) => (data.edits && target.closest("[data-roll-grip]") ? "roll" : null));
}
