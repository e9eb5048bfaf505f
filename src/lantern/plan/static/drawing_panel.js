// Beside the chart while it is drawn: tools, the fields of what is chosen, the sheet, the ground picture, ambient
// levels, saving.
import { off } from "/static/js/controls.js";
import { button, choiceField, fold, html, numberField, numberInput, textField } from "./parts.js";
import { TOOLS, chosenFor } from "./drawing.js";
import { groundPart } from "./ground.js";
import { ambientPart, broughtPart, sheetPart, statesPart } from "./sheet_panel.js";
import { canRedo, canUndo, data, draft, find, removeThing, state, thingAt, things, unsaved } from "./state.js";

const WORDS = { occluders: "Buildings and walls", outlines: "Drawn only", places: "Places", aims: "Aims" };

export function drawingPanel(acts) {
  const chosen = state.thing && thingAt(state.thing);
  const side = find("panel");
  const top = side.parentElement.scrollTop;
  side.replaceChildren(
    html("h2", "", "The drawing"),
    toolPart(acts),
    saving(acts),
    chosen ? thingPart(chosen, acts) : listPart(acts),
    fold("sheet", "Size, place on the earth, dates", sheetPart(acts)),
    fold("ground", "Ground picture", groundPart(acts)),
    fold("brought", "Buildings from a file", broughtPart(acts)),
    fold("ambient", "How loud it is", ambientPart(acts)),
    fold("states", "Earlier states", statesPart(acts)),
  );
  side.parentElement.scrollTop = top;
}

// ---- tools ----

function toolPart(acts) {
  const tool = (name, words) => {
    const made = button("tool", words, () => acts.tool(name));
    made.setAttribute("aria-pressed", String(state.tool === name));
    return made;
  };
  const part = html(
    "div",
    "tools",
    tool("choose", "Choose"),
    Object.entries(TOOLS).map(([name, each]) => tool(name, each.words)),
  );
  const parts = [part];
  if (state.tool === "aim")
    parts.push(
      choiceField(
        "What for",
        chosenFor.aim,
        Object.entries(data.offers.aims).map(([what, each]) => [what, each.title]),
        (value) => {
          chosenFor.aim = value;
          acts.redraw();
        },
      ),
      choiceField(
        "Of",
        (chosenFor.device ??= data.devices[0]?.code),
        data.devices.map((d) => [d.code, `${d.code} ${d.name}`]),
        (value) => {
          chosenFor.device = value;
        },
      ),
    );
  if (state.tool === "place")
    parts.push(
      choiceField(
        "Which",
        String((chosenFor.place ??= draft.places.find((p) => !p.polygon)?.id ?? draft.places[0]?.id)),
        draft.places.map((p) => [String(p.id), p.name]),
        (value) => {
          chosenFor.place = Number(value);
        },
      ),
    );
  const hint =
    state.tool === "choose"
      ? "Press on something to choose it; drag it, its corners, or between two corners."
      : "Press corner by corner; Enter or the first corner ends it, Escape leaves it, Backspace takes the last back.";
  const snapping = html("input", "form-check-input");
  Object.assign(snapping, { type: "checkbox", checked: chosenFor.snap });
  snapping.addEventListener("change", () => {
    chosenFor.snap = snapping.checked;
  });
  parts.push(
    html("p", "quiet mb-1", hint),
    html("label", "row-line", snapping, html("span", "", "corners snap to what is near, and to every 15°")),
  );
  return html("div", "", parts);
}

function saving(acts) {
  const why = html("input", "form-control");
  Object.assign(why, { defaultValue: state.reason, maxLength: 400, placeholder: "why, for whoever comes next" });
  why.setAttribute("aria-label", "Why the plan is changed");
  why.addEventListener("input", () => {
    why.defaultValue = state.reason = why.value;
  });
  const [back, forth] = [button("btn btn-small", "Undo", acts.undo), button("btn btn-small", "Redo", acts.redo)];
  off(back, canUndo() ? "" : "Nothing to take back");
  off(forth, canRedo() ? "" : "Nothing was taken back");
  const save = button("btn btn-main", "Save the plan", () => acts.save(state.reason));
  off(save, acts.trouble() ? "What is said below stands in the way" : unsaved() ? "" : "Nothing is changed");
  const trouble = html(
    "div",
    "notice mt-1",
    ...acts
      .trouble()
      .split("\n")
      .map((line) => html("div", "", line)),
  );
  trouble.hidden = !acts.trouble();
  trouble.setAttribute("role", "alert");
  return html(
    "div",
    "draw-saving",
    html("div", "row-line", back, forth, html("span", "flex-fill"), save),
    unsaved() ? why : null,
    trouble,
  );
}

// ---- what is chosen, or all there is ----

function listPart(acts) {
  const groups = Object.entries(WORDS).map(([list, words]) => {
    const own = things().filter((thing) => thing.list === list);
    if (!own.length) return null;
    return html(
      "div",
      "",
      html("h3", "", words),
      html(
        "div",
        "thing-list",
        own.map((thing) =>
          button("thing", thing.object.name || thing.object.what, () => {
            state.thing = [thing.list, thing.n];
            acts.redraw();
          }),
        ),
      ),
    );
  });
  return html("section", "draw-part", groups);
}

function thingPart(thing, acts) {
  const { object, list } = thing;
  const set = (key, value) => {
    if (value === null) delete object[key];
    else object[key] = value;
    acts.changed();
  };
  const rename = (value) => {
    if (list === "aims" || value) set("name", value);
  };
  const parts = [
    html(
      "div",
      "row-line",
      html("h3", "flex-fill mb-0", object.name || "Without a name"),
      button("btn btn-small", "All things", () => {
        state.thing = null;
        acts.redraw();
      }),
    ),
  ];
  if (list !== "places") parts.push(textField("Name", object.name, rename));
  if (list === "occluders")
    parts.push(
      numberField({ label: "Height", unit: "m", value: object.height_m }, (v) => set("height_m", v)),
      choiceField("Of", object.material ?? "concrete", data.offers.materials, (v) => set("material", v)),
    );
  if (list === "aims") parts.push(...aimFields(object, set));
  parts.push(
    cornersPart(thing, acts),
    button("btn btn-small", "Take it away", () => {
      removeThing(state.thing);
      acts.changed();
    }),
  );
  return html("section", "draw-part", parts);
}

function aimFields(aim, set) {
  const sort = data.offers.aims[aim.what];
  const parts = [
    choiceField(
      "What for",
      aim.what,
      Object.entries(data.offers.aims).map(([what, each]) => [what, each.title]),
      (value) => set("what", value),
    ),
    choiceField(
      "Of",
      aim.device,
      data.devices.map((d) => [d.code, `${d.code} ${d.name}`]),
      (value) => set("device", value),
    ),
  ];
  const special = {
    place: () =>
      choiceField("Place", aim.place ?? "", [["", "everywhere"], ...draft.places.map((p) => p.name)], (value) =>
        set("place", value || null),
      ),
    margin: () =>
      choiceField("Margin", aim.margin ?? data.offers.margins[0], data.offers.margins, (v) => set("margin", v)),
  };
  // a point that has a height of its own is as high as that
  const raised = aim.points[0].length > 2;
  for (const each of sort.fields.filter(({ key }) => !(raised && key === "height_m")))
    parts.push(
      special[each.key]?.() ??
        numberField(
          { ...each, value: aim[each.key] ?? each.default, hint: each.default === null ? "not said" : "" },
          (value) => set(each.key, value),
        ),
    );
  return parts;
}

function cornersPart(thing, acts) {
  const put = (n, k, value) => {
    const moved = thing.corners[n].map((old, axis) => (axis === k ? value : old));
    thing.object[thing.key] = thing.corners.map((corner, at) => (at === n ? moved : corner));
    acts.changed();
  };
  const field = (n, k, value) =>
    numberInput({ label: `Corner ${n + 1}, ${"xyz"[k]} in m`, value }, (number) => put(n, k, number));
  const fewest = thing.closed ? 3 : 2;
  const rows = thing.corners.map((corner, n) =>
    html(
      "div",
      "corner-row",
      html("span", "quiet", `${n + 1}`),
      corner.map((value, k) => field(n, k, value)),
      thing.corners.length > fewest ? button("btn btn-small", "−", () => acts.dropCorner(n)) : null,
    ),
  );
  rows.forEach((row, n) => row.querySelector("button")?.setAttribute("aria-label", `Take corner ${n + 1} away`));
  return fold("corners", `${thing.corners.length} corner${thing.corners.length === 1 ? "" : "s"}, in metres`, rows);
}
