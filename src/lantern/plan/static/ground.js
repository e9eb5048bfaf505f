// The ground picture: brought, put to scale by two points or by its scale on paper, turned to north, moved, taken off.
import { ask } from "/static/js/http.js";
import { pictureOf, placed } from "./layers.js";
import { button, choiceField, html, numberField } from "./parts.js";
import { addThing, data, draft, ownName, things } from "./state.js";
import { metres } from "./view.js";

const told = { said: [], trouble: "", outlines: {}, layer: null, height: 4, reading: null };
const two = { points: null };

export const measuring = () => two.points !== null;

const lying = () => {
  const { origin, north, metres } = placed();
  return { metres_per_px: metres, origin, north_deg: north };
};

async function asked(url, body, changed) {
  try {
    const found = await ask("POST", url, body);
    told.trouble = "";
    return found;
  } catch (error) {
    told.trouble = error.message;
    changed();
    return null;
  }
}

async function stretch(length, changed) {
  const found = await asked("/plan/ground/scale", { lying: lying(), points: two.points, length_m: length }, changed);
  two.points = null;
  if (found) Object.assign(draft.plan, { metres_per_px: found.metres_per_px, origin: found.origin });
  changed();
}

export function pickPoint(event, redraw) {
  if (two.points.length < 2) two.points.push(metres(event));
  redraw();
}

export const picked = () => two.points ?? [];

async function bring(file, page, { changed, redraw }) {
  const reading = new AbortController();
  const said = [`Reading ${file.name}: a large drawing takes some seconds.`];
  Object.assign(told, { trouble: "", said, reading });
  redraw();
  try {
    const query = new URLSearchParams({ name: file.name, page });
    const found = await ask("POST", `/plan/pictures?${query}`, await file.arrayBuffer(), {
      raw: true,
      signal: reading.signal,
    });
    Object.assign(told, { said: found.said, outlines: found.outlines, layer: Object.keys(found.outlines)[0] ?? null });
    data.pictures[found.name] = found;
    draft.plan.picture = found.name;
    delete draft.plan.metres_per_px;
    if (found.metres_per_px) {
      draft.plan.metres_per_px = found.metres_per_px;
      await fitSheet();
    }
  } catch (error) {
    const cancelled = reading.signal.aborted;
    Object.assign(told, cancelled ? { said: [`${file.name} was not read.`] } : { trouble: error.message, said: [] });
  }
  told.reading = null;
  changed();
}

const TO_MEASURE = "Press on two points of the picture that you know the distance of.";

// The plan as large as its picture. Where nothing lies by the picture yet, it is laid into the corner.
async function fitSheet() {
  const { width_px, height_px } = pictureOf();
  const free = things().length === 0 && !data.devices.some((device) => device.mount);
  Object.assign(draft.plan, await ask("POST", "/plan/ground/sheet", { lying: lying(), width_px, height_px, free }));
}

export function groundPart({ changed, redraw }) {
  const { plan } = draft;
  const part = html("section", "draw-part", html("h3", "", "Ground picture"));
  const file = html("input", "form-control form-control-sm");
  Object.assign(file, { type: "file", accept: ".png,.jpg,.jpeg,.pdf,.svg,.dxf" });
  file.setAttribute("aria-label", "A ground picture: PNG, JPEG, PDF, SVG or DXF");
  let page = 1;
  file.addEventListener("change", () => {
    if (file.files[0]) bring(file.files[0], page, { changed, redraw });
  });
  part.append(
    file,
    numberField({ label: "Page of a PDF", value: page }, (value) => {
      page = value;
    }),
  );
  const notice = html("div", "notice mt-1", told.trouble);
  notice.hidden = !told.trouble;
  notice.setAttribute("role", "alert");
  part.append(notice, ...told.said.map((line) => html("p", "quiet mb-0", line)));
  if (told.reading) part.append(button("btn btn-small", "Cancel", () => told.reading?.abort()));
  if (!plan.picture) return part;
  if (!pictureOf()) {
    part.append(html("p", "quiet", `${plan.picture} is not here: bring it again, or take it off.`));
  } else part.append(...scaling({ changed, redraw }));
  part.append(
    button("btn btn-small", "Take it off", () => {
      for (const key of ["picture", "metres_per_px", "origin", "north_deg"]) delete draft.plan[key];
      changed();
    }),
  );
  return part;
}

// The outlines of a layer of the drawing that was brought, as buildings and walls where the picture lies.
function walls({ changed }) {
  const layers = Object.keys(told.outlines);
  if (!layers.length || !draft.plan.metres_per_px) return [];
  const take = async () => {
    const outlines = told.outlines[told.layer];
    const found = await asked(
      "/plan/ground/outlines",
      { lying: lying(), outlines: outlines.map(([, corners]) => corners) },
      changed,
    );
    if (!found) return;
    found.outlines.forEach((points, n) =>
      addThing("occluders", {
        name: ownName("occluders", told.layer.toLowerCase()),
        points,
        closed: outlines[n][0],
        height_m: told.height,
      }),
    );
    changed();
  };
  return [
    html("p", "quiet mb-0 mt-2", "Its outlines as buildings and walls:"),
    choiceField(
      "Layer",
      told.layer,
      layers.map((layer) => [layer, `${layer}, ${told.outlines[layer].length}`]),
      (value) => {
        told.layer = value;
      },
    ),
    numberField({ label: "So high", unit: "m", value: told.height }, (value) => {
      told.height = value;
    }),
    button("btn btn-small", "Take them", take),
  ];
}

function scaling({ changed, redraw }) {
  const { plan } = draft;
  const { origin, north, metres: now } = placed();
  const picture = pictureOf();
  const wide = picture.width_px * now;
  const set = (key, value) => {
    draft.plan[key] = value;
    changed();
  };
  const parts = [
    html(
      "p",
      "quiet mb-0",
      plan.metres_per_px
        ? `${picture.name}, ${wide.toFixed(1)} m wide`
        : `${picture.name}: its scale is not known yet. ${TO_MEASURE}`,
    ),
  ];
  const points = picked().length;
  if (points === 2)
    parts.push(numberField({ label: "They are apart", unit: "m", value: null }, (value) => stretch(value, changed)));
  else
    parts.push(
      button(
        "btn btn-small",
        measuring() ? `Point ${points + 1} of 2: press on the chart` : "Scale by two points",
        () => {
          two.points = measuring() ? null : [];
          redraw();
        },
      ),
    );
  const paper = picture.paper_mm_per_px;
  if (paper)
    parts.push(
      numberField(
        {
          label: "Its scale on paper, 1 :",
          value: plan.metres_per_px ? Math.round((plan.metres_per_px * 1000) / paper) : null,
        },
        (value) => set("metres_per_px", (paper * value) / 1000),
      ),
    );
  parts.push(
    numberField({ label: "North in it, from its up", unit: "°", value: north }, (value) => set("north_deg", value)),
    numberField({ label: "Its lower left corner, x", unit: "m", value: origin[0] }, (v) =>
      set("origin", [v, origin[1]]),
    ),
    numberField({ label: "Its lower left corner, y", unit: "m", value: origin[1] }, (v) =>
      set("origin", [origin[0], v]),
    ),
    ...walls({ changed }),
    button("btn btn-small", "Make the plan as large as it", () => {
      fitSheet()
        .then(() => {
          told.trouble = "";
        })
        .catch((error) => {
          told.trouble = error.message;
        })
        .finally(changed);
    }),
  );
  return parts;
}
