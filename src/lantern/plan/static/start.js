// The page of the plan: wires the chart, what stands beside it, and the two ways to work on it, with devices and with
// the drawing.
import { ask, latest } from "/static/js/http.js";
import { stepOf } from "/static/js/undo.js";
import { drawAims, drawAll, drawHandles, drawThing, setUp } from "./chart.js";
import { drawing } from "./drawing.js";
import { drawingPanel } from "./drawing_panel.js";
import { measuring, pickPoint, picked } from "./ground.js";
import { drawField } from "./marks.js";
import { mounts } from "./mounts.js";
import { legend, list, panel, shortList } from "./panel.js";
import { keepingFocus } from "./parts.js";
import { setUpSide, sideView } from "./side.js";
import { data, devices, draft, find, keepStep, redo, state, thingAt, undo, unsaved, worst } from "./state.js";
import { chart, metres, showAll, zoom } from "./view.js";

let trouble = "";
let leaving = false; // the plan was saved, and the page comes anew

function beside() {
  keepingFocus(find("panel"), () => {
    if (state.drawing) drawingPanel(drawActs);
    else panel(mountActs);
  });
}

function all() {
  drawAll();
  if (measuring()) drawHandles({ corners: picked(), snapped: picked().at(-1) });
  list(choose);
  shortList();
  beside();
  sideView(devices.get(state.chosen));
}

function choose(id) {
  state.chosen = id;
  history.replaceState(null, "", `#${devices.get(id)?.code ?? ""}`);
  all();
  if (devices.has(id)) mountActs.look(devices.get(id));
}

const mountActs = mounts({ choose, all, beside, side: sideView });

// ---- the drawing ----

// What the devices would give on the plan as it is drawn; a dragged wall asks for the newest of its places alone.
const tryOut = latest(async (dragged) => {
  chart.setAttribute("aria-busy", "true");
  try {
    const { devices: found, ...together } = await ask(
      "POST",
      `/plan/try?height=${data.height}${
        dragged ? "&dragged=true" : ""
      }${state.chosen ? `&chosen=${state.chosen}` : ""}`,
      draft.plan,
    );
    trouble = "";
    Object.assign(data, together);
    for (const [id, each] of Object.entries(found)) take(devices.get(Number(id)), each, dragged);
  } catch (error) {
    trouble = error.message;
  }
  if (dragged) {
    drawAims();
    sideView(devices.get(state.chosen));
  } else {
    legend(drawAll);
    all();
  }
  chart.setAttribute("aria-busy", "false");
});

// Of a device only what has changed is drawn anew while something is dragged.
function take(device, told, dragged) {
  if (device.dirty) return;
  const same = JSON.stringify(told.drawn) === JSON.stringify(device.drawn);
  Object.assign(device, same ? { claims: told.claims, side: told.side ?? device.side } : told);
  if (dragged && !same) drawField(device);
}

function changed({ dragged = false } = {}) {
  if (dragged) drawThing(thingAt(state.thing));
  else {
    keepStep();
    drawAll();
    beside();
  }
  tryOut(dragged);
}

async function save(reason) {
  const places = Object.fromEntries(
    draft.places
      .filter((place, n) => JSON.stringify(place) !== JSON.stringify(data.places[n]))
      .map((place) => [place.id, place.polygon]),
  );
  const query = new URLSearchParams({ base: data.revision, ...(reason ? { reason } : {}) });
  try {
    await ask("PUT", `/plan?${query}`, { plan: draft.plan, places });
    leaving = true;
    location.reload();
  } catch (error) {
    trouble = error.message;
    beside();
  }
}

const tools = drawing({
  changed,
  redraw: () => {
    drawAll();
    beside();
  },
});
const drawActs = {
  ...tools,
  changed,
  redraw: all,
  save,
  trouble: () => trouble,
  undo: () => {
    undo();
    changed();
  },
  redo: () => {
    redo();
    changed();
  },
};

function setDrawing(on) {
  state.drawing = on;
  state.thing = null;
  tools.tool("choose");
  document.querySelector("[data-draw]")?.setAttribute("aria-pressed", String(on));
  all();
}

// ---- pointers and keys ----

chart.addEventListener("pointerdown", (event) => {
  if (event.button !== 0) return;
  if (state.drawing && measuring()) pickPoint(event, all);
  else if (state.drawing) tools.down(event);
  else mountActs.down(event, chart);
});
chart.addEventListener("pointermove", (event) => {
  if (state.drawing) tools.move(event);
  else mountActs.move(event);
});
chart.addEventListener("pointerup", () => {
  if (state.drawing) tools.up();
  else mountActs.up();
});
chart.addEventListener("dblclick", () => {
  if (state.drawing) tools.finish();
});
chart.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    zoom(1.15 ** (-event.deltaY / 100), metres(event));
    drawAll();
  },
  { passive: false },
);
chart.addEventListener("keydown", (event) => {
  if (!state.drawing) mountActs.key(event, chart);
});
const typing = ({ target }) => target.closest("input, textarea, select, dialog");
document.addEventListener("keydown", (event) => {
  if (typing(event)) return;
  const step = stepOf(event);
  if (step) {
    event.preventDefault();
    if (state.drawing) drawActs[step]();
    else if (step === "undo") mountActs.takeBack();
    return;
  }
  if (!state.drawing) return;
  if (event.target.closest(".chart") || tools.sketching() || event.target === document.body) tools.key(event);
});
find("height").addEventListener("change", (event) => {
  location.href = `${location.pathname}?height=${event.target.value}${location.hash}`;
});
document.querySelector("[data-draw]")?.addEventListener("click", () => setDrawing(!state.drawing));
for (const [name, work] of [
  ["nearer", () => zoom(1.5)],
  ["farther", () => zoom(1 / 1.5)],
  ["all", showAll],
]) {
  document.querySelector(`[data-zoom="${name}"]`).addEventListener("click", () => {
    work();
    drawAll();
  });
}
window.addEventListener("beforeunload", (event) => {
  const moved = data.devices.some((device) => device.dirty); // on the plan, and not kept
  if ((unsaved() || moved) && !leaving) event.preventDefault();
});

// ---- the plan as a document ----

const dialog = document.getElementById("plan-dialog");
dialog.querySelector("textarea").value = JSON.stringify(data.plan, null, 1);
dialog.querySelector("[data-save-plan]")?.addEventListener("click", async () => {
  const faults = dialog.querySelector("[data-plan-faults]");
  const why = dialog.querySelector("input").value;
  try {
    const plan = JSON.parse(dialog.querySelector("textarea").value);
    await ask("PUT", `/plan?base=${data.revision}${why ? `&reason=${encodeURIComponent(why)}` : ""}`, { plan });
    leaving = true;
    location.reload();
  } catch (error) {
    faults.hidden = false;
    faults.replaceChildren(
      ...error.message.split("\n").map((line) => Object.assign(document.createElement("div"), { textContent: line })),
    );
  }
});

setUp();
setUpSide(mountActs);
legend(drawAll);
const hash = decodeURIComponent(location.hash.slice(1));
const wanted =
  data.devices.find((device) => device.code === hash) ??
  data.devices.find((device) => worst(device.claims) === "fail") ??
  data.devices.find((d) => d.mount);
choose(wanted?.id ?? null);
if (hash === "draw" && data.edits) setDrawing(true);
chart.dataset.ready = "yes";
