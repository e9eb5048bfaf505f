// Of the drawing as a whole: its size and place on the earth, earlier states, what comes from a file, how loud it is.
import { ask } from "/static/js/http.js";
import { button, choiceField, html, numberField, textField } from "./parts.js";
import { addThing, data, draft, ownName, state } from "./state.js";

export function sheetPart(acts) {
  const { plan } = draft;
  const set = (key, value) => {
    if (value === null || value.length === 0) delete plan[key];
    else plan[key] = value;
    acts.changed();
  };
  const [width, height] = data.size;
  return html(
    "section",
    "draw-part",
    numberField({ label: "Width", unit: "m", value: plan.width_m ?? width }, (v) => set("width_m", v)),
    numberField({ label: "Height", unit: "m", value: plan.height_m ?? height }, (v) => set("height_m", v)),
    numberField({ label: "Latitude of the corner", unit: "°", value: plan.latitude, optional: true }, (v) =>
      set("latitude", v),
    ),
    numberField({ label: "Longitude of it", unit: "°", value: plan.longitude, optional: true }, (v) =>
      set("longitude", v),
    ),
    choiceField("Grades by IEC 62676-4 of", plan.edition ?? data.edition, data.offers.editions, (v) =>
      set("edition", v),
    ),
    textField(
      "Sun on the days",
      (plan.sun_dates ?? []).join(", "),
      (v) => set("sun_dates", v.split(/[\s,;]+/).filter(Boolean)),
      { hint: "2026-06-21, 2026-12-21" },
    ),
  );
}

// Earlier states: one of them is drawn, and is the plan again once it is saved.
let [states, untold] = [null, ""];
export function statesPart(acts) {
  const part = html("section", "draw-part");
  const tell = async (work) => {
    try {
      await work();
      untold = "";
    } catch (error) {
      untold = error.message;
    }
    acts.redraw();
  };
  const take = (number) =>
    tell(async () => {
      const { plan, picture, places } = await ask("GET", `/plan/states/${number}`);
      if (picture) data.pictures[picture.name] = picture;
      draft.plan = plan;
      for (const place of draft.places) if (place.id in places) place.polygon = places[place.id];
      state.thing = null;
      state.reason = `As in state ${number}.`;
      acts.changed();
    });
  if (!states)
    part.append(
      button("btn btn-small", "Show them", () =>
        tell(async () => {
          ({ states } = await ask("GET", "/plan/states"));
        }),
      ),
    );
  for (const each of states ?? [])
    part.append(
      html(
        "div",
        "state-row",
        html("span", "", html("b", "", `${each.number}`), ` ${each.at} ${each.who}`, html("div", "quiet", each.reason)),
        each.number === data.revision
          ? html("span", "quiet", "in use")
          : button("btn btn-small", "Draw it", () => take(each.number)),
      ),
    );
  if (untold) part.append(html("div", "notice", untold));
  return part;
}

// Buildings and lines from a GeoJSON file, put to what is drawn; they lie where the saved plan's origin says.
let [broughtIn, refused] = [[], ""];
export function broughtPart(acts) {
  const file = html("input", "form-control form-control-sm");
  Object.assign(file, { type: "file", accept: ".geojson,.json" });
  file.setAttribute("aria-label", "Buildings and lines: GeoJSON");
  file.addEventListener("change", async () => {
    try {
      const found = await ask("POST", "/plan/geojson", JSON.parse(await file.files[0].text()));
      for (const list of ["outlines", "occluders"]) {
        for (const each of found[list]) {
          const taken = (draft.plan[list] ?? []).some((held) => held.name === each.name);
          addThing(list, taken ? { ...each, name: ownName(list, each.name) } : each);
        }
      }
      [broughtIn, refused] = [
        [`${found.outlines.length} lines and areas, ${found.occluders.length} with a height`, ...found.said],
        "",
      ];
    } catch (error) {
      refused = error.message;
    }
    acts.changed();
  });
  const notice = html("div", "notice mt-1", refused);
  notice.hidden = !refused;
  notice.setAttribute("role", "alert");
  return html(
    "section",
    "draw-part",
    file,
    html("p", "quiet mb-0", "What has a height_m hides; areas and lines without one are drawn only."),
    notice,
    broughtIn.map((line) => html("p", "quiet mb-0", line)),
  );
}

export function ambientPart(acts) {
  const levels = draft.plan.ambient ?? [];
  const put = (next) => {
    draft.plan.ambient = next;
    acts.changed();
  };
  const change = (n, key, value) => put(levels.map((each, at) => (at === n ? { ...each, [key]: value } : each)));
  const rows = levels.map((each, n) =>
    html(
      "div",
      "ambient-row",
      choiceField("Where", each.place ?? "", [["", "everywhere"], ...draft.places.map((p) => p.name)], (v) =>
        change(n, "place", v),
      ),
      numberField({ label: "From", unit: "h", value: each.from_h ?? 0 }, (v) => change(n, "from_h", v)),
      numberField({ label: "Until", unit: "h", value: each.until_h ?? 24 }, (v) => change(n, "until_h", v)),
      numberField({ label: "Level", unit: "dB(A)", value: each.level_db }, (v) => change(n, "level_db", v)),
      button("btn btn-small", "Take it away", () => put(levels.filter((_, at) => at !== n))),
    ),
  );
  return html(
    "section",
    "draw-part",
    rows,
    button("btn btn-small", "Another level", () => put([...levels, { level_db: 55 }])),
  );
}
