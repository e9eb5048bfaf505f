// What the page of the plan holds: what the server said, what is chosen, and the drawing with its steps back and forth.
import { pageData } from "/static/js/http.js";

export const data = pageData();
export const find = (name) => document.querySelector(`[data-${name}]`);
export const devices = new Map(data.devices.map((device) => [device.id, device]));
for (const device of data.devices) device.kept = device.mount && structuredClone(device.mount); // as the server has it

// `thing`: what of the drawing is chosen, as [list, place in it]; `tool`: what a press on the chart draws;
// `reason`: why the plan is changed
export const state = {
  chosen: null,
  drawing: false,
  thing: null,
  tool: "choose",
  reason: "",
  hidden: new Set(["unseen", "twice", "loud"]),
};
export const shown = (layer) => !state.hidden.has(layer);
export const WORST = ["fail", "marginal", "pass"];
export const worst = (claims) => WORST.find((word) => claims.some((claim) => claim.verdict === word));
export const draft = { plan: structuredClone(data.plan), places: structuredClone(data.places) };

// ---- steps back and forth ----

const steps = { done: [JSON.stringify(draft)], undone: [] };

export const unsaved = () => JSON.stringify(draft) !== steps.done[0];
export const canUndo = () => steps.done.length > 1;
export const canRedo = () => steps.undone.length > 0;

export function keepStep() {
  const now = JSON.stringify(draft);
  if (now === steps.done.at(-1)) return false;
  steps.done.push(now);
  steps.undone.length = 0;
  return true;
}

const put = (text) => {
  Object.assign(draft, JSON.parse(text));
  if (state.thing && !thingAt(state.thing)) state.thing = null;
};

export function undo() {
  if (!canUndo()) return;
  steps.undone.push(steps.done.pop());
  put(steps.done.at(-1));
}

export function redo() {
  if (!canRedo()) return;
  steps.done.push(steps.undone.pop());
  put(steps.done.at(-1));
}

// ---- things of the drawing ----

const listOf = (list) => (list === "places" ? draft.places : (draft.plan[list] ?? []));

export const SHAPES_OF = ["outlines", "occluders", "places", "aims"];

// One thing as the tools see it: its corners, whether its last is joined to its first, and the object itself.
export function thingAt([list, n]) {
  const object = listOf(list)[n];
  if (!object || (list === "places" && !object.polygon)) return null;
  const key = list === "places" ? "polygon" : "points";
  const closed = {
    outlines: data.offers.areas.includes(object.what),
    occluders: object.closed === true,
    places: true,
    aims: data.offers.aims[object.what]?.shape === "area" && object.points?.length > 2,
  }[list];
  return { list, n, key, object, closed, corners: object[key] };
}

export const things = () =>
  SHAPES_OF.flatMap((list) =>
    listOf(list)
      .map((_, n) => thingAt([list, n]))
      .filter(Boolean),
  );

export function addThing(list, object) {
  draft.plan[list] = [...listOf(list), object];
  return [list, draft.plan[list].length - 1];
}

export function removeThing([list, n]) {
  if (list === "places") draft.places[n].polygon = null;
  else draft.plan[list] = draft.plan[list].filter((_, at) => at !== n);
  state.thing = null;
}

export function ownName(list, base) {
  const names = new Set(listOf(list).map((each) => each.name));
  for (let n = 1; ; n += 1) if (!names.has(`${base} ${n}`)) return `${base} ${n}`;
}
