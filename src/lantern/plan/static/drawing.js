// Drawing on the chart: things are drawn corner by corner, chosen, moved, bent and taken away; corners snap to what
// is near.
import { Pen, capture } from "/static/js/pen.js";
import { drawHandles } from "./chart.js";
import { addThing, draft, data, keepStep, ownName, removeThing, state, thingAt, things } from "./state.js";
import { chart, metres, pixels, shift } from "./view.js";

const NEAR_PX = 9;
const rounded = (value) => Math.round(value * 100) / 100;
const whole = (corner) => corner.map((value, n) => (n < 2 ? rounded(value) : value));

// what each tool makes, how it is called, and how many corners it has at least
export const TOOLS = data.offers.things;
export const chosenFor = { aim: "density", device: null, place: null, snap: true };

const isClosed = (tool) =>
  TOOLS[tool].closed === true || (tool === "aim" && data.offers.aims[chosenFor.aim].shape === "area");
const isPoint = (tool) => tool === "aim" && data.offers.aims[chosenFor.aim].shape === "point";

// The corner of another thing, or the place on one of its sides, that is nearest to a place; else the place itself.
function snap(place, without = null, { angle = null } = {}) {
  if (!chosenFor.snap) return { place, to: null };
  const reach = pixels(NEAR_PX);
  let best = null;
  const offer = (corner, weight) => {
    const far = Math.hypot(corner[0] - place[0], corner[1] - place[1]) * weight;
    if (far < reach && (!best || far < best.far)) best = { far, corner };
  };
  for (const thing of things()) {
    if (without && thing.list === without[0] && thing.n === without[1]) continue;
    thing.corners.forEach((corner) => offer(corner, 0.5));
    const ends = thing.closed ? [...thing.corners, thing.corners[0]] : thing.corners;
    for (let n = 1; n < ends.length; n += 1) offer(nearestOn(ends[n - 1], ends[n], place), 1);
  }
  if (best) return { place: [best.corner[0], best.corner[1]], to: best.corner };
  return { place: angle ? squared(angle, place) : place, to: null };
}

function nearestOn([ax, ay], [bx, by], [x, y]) {
  const [dx, dy] = [bx - ax, by - ay];
  const length = dx * dx + dy * dy || 1;
  const share = Math.min(Math.max(((x - ax) * dx + (y - ay) * dy) / length, 0), 1);
  return [ax + share * dx, ay + share * dy];
}

// On the nearest of 24 ways from the corner before, where it is nearly on one.
function squared([ax, ay], [x, y]) {
  const [far, turn] = [Math.hypot(x - ax, y - ay), Math.atan2(y - ay, x - ax)];
  const step = Math.PI / 12;
  const near = Math.round(turn / step) * step;
  return Math.abs(near - turn) < 0.035 ? [ax + far * Math.cos(near), ay + far * Math.sin(near)] : [x, y];
}

export function drawing({ changed, redraw }) {
  let sketch = null; // corners that are set, the last of them under the pointer
  let drag = null;
  const pen = new Pen(chart, { drags: () => false, words: (place) => `${metres(place).map(rounded).join(", ")} m` });

  const finish = () => {
    const { tool } = state;
    if (!sketch) return;
    const set = sketch.corners.slice(0, -1).map(whole);
    const corners = set.filter(([x, y], n) => n === 0 || x !== set[n - 1][0] || y !== set[n - 1][1]); // pressed twice
    const fewest = tool === "aim" && data.offers.aims[chosenFor.aim].shape === "way" ? 2 : TOOLS[tool].fewest;
    sketch = null;
    if (corners.length < fewest) {
      redraw();
      return;
    }
    if (tool === "place") {
      const place = draft.places.find((each) => each.id === chosenFor.place) ?? draft.places.find((p) => !p.polygon);
      if (place) {
        place.polygon = corners;
        state.thing = ["places", draft.places.indexOf(place)];
      }
    } else {
      const made =
        tool === "aim"
          ? { what: chosenFor.aim, device: chosenFor.device, ...data.offers.aims[chosenFor.aim].first }
          : TOOLS[tool].first;
      const name = tool === "aim" ? "aim" : tool;
      state.thing = addThing(TOOLS[tool].list, { ...made, name: ownName(TOOLS[tool].list, name), points: corners });
    }
    state.tool = "choose";
    pen.offer(false);
    changed();
  };

  const sketchDown = (event) => {
    const { place } = snap(metres(event), null, { angle: sketch?.corners.at(-2) });
    if (!sketch) sketch = { corners: [place, place] };
    else {
      const first = sketch.corners[0];
      const back = Math.hypot(first[0] - place[0], first[1] - place[1]) < pixels(NEAR_PX);
      if (isClosed(state.tool) && sketch.corners.length > 3 && back) {
        finish();
        return;
      }
      sketch.corners.splice(-1, 1, place, place);
    }
    if (isPoint(state.tool)) {
      finish();
      return;
    }
    drawHandles(sketch);
  };

  const grabbed = ({ target }) => {
    if (target.dataset.corner !== undefined) return { corner: Number(target.dataset.corner) };
    if (target.dataset.between !== undefined) return { between: Number(target.dataset.between) };
    const [list, n] = target.dataset.thing?.split("/") ?? [];
    return list ? { thing: [list, Number(n)] } : null;
  };

  const down = (event) => {
    capture(chart, event);
    if (state.tool !== "choose") {
      sketchDown(event);
      return;
    }
    const held = grabbed(event);
    drag = { at: metres(event), moved: false, ...held };
    if (!held) return;
    if (held.thing) {
      state.thing = held.thing;
      redraw();
    }
    const thing = thingAt(state.thing);
    if (held.between !== undefined) {
      thing.object[thing.key] = thing.corners.toSpliced(held.between + 1, 0, whole(drag.at));
      drag.corner = held.between + 1;
    }
    drag.before = structuredClone(thingAt(state.thing).corners);
  };

  const move = (event) => {
    const now = metres(event);
    if (sketch) {
      const found = snap(now, null, { angle: sketch.corners.at(-2) });
      sketch.corners[sketch.corners.length - 1] = found.place;
      drawHandles({ ...sketch, snapped: found.to });
      return;
    }
    if (!drag) return;
    const [dx, dy] = [now[0] - drag.at[0], now[1] - drag.at[1]];
    if (!drag.moved && Math.hypot(dx, dy) < pixels(3)) return;
    drag.moved = true;
    if (!drag.before) {
      shift(-dx, -dy);
      redraw();
      return;
    }
    const thing = thingAt(state.thing);
    if (drag.corner !== undefined) {
      const { place } = snap(now, state.thing);
      thing.object[thing.key] = thing.corners.map((corner, n) =>
        n === drag.corner ? whole([...place, ...corner.slice(2)]) : corner,
      );
    } else thing.object[thing.key] = drag.before.map(([x, y, ...z]) => whole([x + dx, y + dy, ...z]));
    changed({ dragged: true });
  };

  const up = () => {
    if (drag?.moved && drag.before) changed();
    else if (drag?.between !== undefined) changed();
    else if (drag && !drag.before && !drag.moved) {
      state.thing = null;
      redraw();
    }
    drag = null;
  };

  const dropCorner = (n) => {
    const thing = thingAt(state.thing);
    if (thing.corners.length <= (thing.closed ? 3 : 2)) return;
    thing.object[thing.key] = thing.corners.filter((_, at) => at !== n);
    changed();
  };

  const key = (event) => {
    if (sketch && event.key === "Enter") finish();
    else if (state.tool !== "choose" && event.key === "Escape") tool("choose");
    else if (sketch && event.key === "Backspace" && sketch.corners.length > 2) {
      sketch.corners.splice(-2, 1);
      drawHandles(sketch);
    } else if (state.thing && (event.key === "Delete" || event.key === "Backspace")) {
      if (event.target.dataset?.corner !== undefined) dropCorner(Number(event.target.dataset.corner));
      else {
        removeThing(state.thing);
        changed();
      }
    } else if (state.thing && event.key.startsWith("Arrow")) nudge(event);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };

  function nudge(event) {
    const [dx, dy] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    const by = event.shiftKey ? 1 : 0.1;
    const thing = thingAt(state.thing);
    const only = event.target.dataset?.corner;
    thing.object[thing.key] = thing.corners.map(([x, y, ...z], n) =>
      only === undefined || n === Number(only) ? whole([x + dx * by, y + dy * by, ...z]) : [x, y, ...z],
    );
    changed();
    if (only !== undefined) chart.querySelector(`[data-corner="${only}"]`)?.focus();
  }

  const tool = (name) => {
    sketch = null;
    state.tool = name;
    pen.offer(name !== "choose");
    if (name !== "choose") state.thing = null;
    redraw();
  };
  return { down, move, up, key, finish, tool, dropCorner, sketching: () => sketch !== null, keepStep };
}
