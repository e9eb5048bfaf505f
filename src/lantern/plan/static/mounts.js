// Devices put, dragged and moved by keys on the chart; what a place would give is asked of the server meanwhile.
import { off } from "/static/js/controls.js";
import { ask, latest } from "/static/js/http.js";
import { drawAims } from "./chart.js";
import { deviceUnder, drawField, drawMoved } from "./marks.js";
import { data, devices, state } from "./state.js";
import { within } from "./side_parts.js";
import { metres, pixels, shift } from "./view.js";

const rounded = (value, by = 10) => Math.round(value * by) / by;

const bearing = (mount, x, y) => Math.atan2(x - mount.x_m, y - mount.y_m) * (180 / Math.PI);

// How wide a field is whose edge lies that way; the server knows which lens has it.
const fieldTo = (mount, way) => within(2 * Math.abs(((way - mount.azimuth_deg + 540) % 360) - 180), 1, data.widest);

export function mounts({ choose, all, beside, side }) {
  // `more`: what is asked beside the mount
  const newest = latest(async (device, dragged, more) => {
    try {
      const asked = { mount: device.mount, ...more };
      const told = await ask("POST", `/plan/devices/${device.id}/try?height=${data.height}`, asked);
      if (more.field_deg) device.mount = { ...device.mount, focal_mm: told.mount.focal_mm };
      Object.assign(device, {
        drawn: told.drawn,
        claims: told.claims,
        side: told.side,
        facts: told.facts,
        trouble: "",
      });
    } catch (error) {
      device.trouble = error.message;
    }
    if (!dragged) {
      all();
      return;
    }
    drawField(device);
    drawAims();
    side(device);
  });
  const attempt = (device, dragged = false, more = {}) => newest(device, dragged, more);

  const change = (device, keys, dragged = false, more = {}) => {
    device.mount = { ...device.mount, ...keys };
    for (const [key, value] of Object.entries(keys)) if (value === null) delete device.mount[key];
    device.dirty = true;
    if (dragged) drawMoved(device);
    return attempt(device, dragged, more);
  };

  let drag = null;
  const down = (event, chart) => {
    chart.setPointerCapture(event.pointerId);
    const grip = event.target.closest("[data-turn]")?.dataset.turn;
    const device = grip ? devices.get(state.chosen) : deviceUnder(event);
    drag = { device, at: metres(event), moved: false, grip };
    if (!device || grip) return;
    choose(device.id);
    drag.from = [device.mount.x_m, device.mount.y_m];
  };
  const move = (event) => {
    if (!drag) return;
    const [x, y] = metres(event);
    const [dx, dy] = [x - drag.at[0], y - drag.at[1]];
    if (!drag.moved && Math.hypot(dx, dy) < pixels(3)) return;
    drag.moved = true;
    if (!drag.device) {
      shift(-dx, -dy);
      all();
      return;
    }
    if (!data.edits) return;
    if (drag.grip) {
      const { mount } = drag.device;
      const way = bearing(mount, x, y);
      drag.more = drag.grip === "field" ? { field_deg: fieldTo(mount, way) } : {};
      change(
        drag.device,
        drag.grip === "azimuth" ? { azimuth_deg: Math.round((way + 360) % 360) } : {},
        true,
        drag.more,
      );
      return;
    }
    drag.device.mount = { ...drag.device.mount, x_m: rounded(drag.from[0] + dx), y_m: rounded(drag.from[1] + dy) };
    drag.device.dirty = true;
    drawMoved(drag.device);
    attempt(drag.device, true);
  };
  const up = () => {
    if (drag?.device && drag.moved && data.edits) attempt(drag.device, false, drag.more);
    if (drag && !drag.device && !drag.moved) choose(null);
    drag = null;
  };
  const key = (event, chart) => {
    const device = deviceUnder(event);
    if (!device) return;
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      choose(device.id);
    }
    if (!step || !data.edits) return;
    event.preventDefault();
    event.stopPropagation();
    const by = event.shiftKey ? 1 : 0.1;
    state.chosen = device.id;
    change(device, {
      x_m: rounded(device.mount.x_m + step[0] * by, 100),
      y_m: rounded(device.mount.y_m + step[1] * by, 100),
    }).then(() => chart.querySelector(`[data-device="${device.id}"]`)?.focus());
  };
  const putOn = (device) => {
    const { width_m: width, height_m: height } = data.plan;
    change(device, { ...device.first, x_m: (width ?? data.size[0]) / 2, y_m: (height ?? data.size[1]) / 2 });
  };
  const look = async (device) => {
    if (!device.mount || device.dirty) return;
    const told = await ask("GET", `/plan/devices/${device.id}?height=${data.height}`);
    if (device.dirty) return; // it was moved meanwhile
    Object.assign(device, { claims: told.claims ?? [], side: told.side ?? null, facts: told.facts ?? [] });
    if (state.chosen === device.id) {
      beside();
      side(device);
    }
  };
  const send = async (device, method, url, body) => {
    try {
      await ask(method, url, body);
      device.dirty = false;
      location.reload();
    } catch (error) {
      device.trouble = error.message;
      all();
    }
  };
  // the last that was done: of the chosen device what is not kept yet, else what the server has kept last of ours
  const takeBack = async () => {
    const device = devices.get(state.chosen);
    if (device?.dirty) {
      device.mount = device.kept && structuredClone(device.kept);
      device.dirty = false;
      if (device.mount) await attempt(device);
      else all();
      await look(device); // with the cures of how it stands
      return;
    }
    if (!data.edits || !data.step) return;
    try {
      await ask("POST", "/plan/undo", {});
      location.reload();
    } catch (error) {
      if (device) device.trouble = error.message;
      all();
    }
  };
  const tellStates = async (device) => {
    ({ states: device.states } = await ask("GET", `/plan/devices/${device.id}/states`));
    beside();
  };
  const bringBack = (device, number) => send(device, "POST", `/devices/${device.id}/states/${number}`, {});
  const keep = (device) => send(device, "PUT", `/plan/devices/${device.id}`, { mount: device.mount });
  const take = (device, claim, remedy, button) => {
    off(button, "It is being taken");
    send(device, "POST", `/plan/devices/${device.id}/remedies`, {
      name: claim.name,
      aim: claim.aim,
      text: remedy.text,
    });
  };
  return { change, down, move, up, key, putOn, look, keep, take, takeBack, tellStates, bringBack, devices };
}
