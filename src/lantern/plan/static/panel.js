// Beside the chart: devices with how they stand, the chosen one's mount and promises, what falls short, the legend.
import { address } from "/static/js/http.js";
import { fold, html, button, numberField, shape, short, withUnit } from "./parts.js";
import { pictureOf } from "./layers.js";
import { data, devices, find, state, worst } from "./state.js";

const SHAPES = { pass: "hit", marginal: "caution", fail: "false" };
const WORDS = { pass: "as wished", marginal: "just short", fail: "falls short" };

export function list(choose) {
  const line = (device) => {
    const word = device.wrong ? "fail" : worst(device.claims);
    const falls = device.claims.filter((claim) => claim.verdict === "fail").map((claim) => claim.label.toLowerCase());
    const stands = device.mount ? (WORDS[word] ?? "stands") : "not on the plan";
    const told = device.wrong || falls.slice(0, 2).join(", ") || stands;
    const row = button("plan-line-button", "", () => choose(device.id));
    row.append(
      shape(word ? SHAPES[word] : "none"),
      html("span", "code", device.code),
      html("span", "", device.name),
      html("small", "", told),
    );
    if (device.id === state.chosen) row.setAttribute("aria-current", "true");
    return row;
  };
  const rank = (device) => ["fail", "marginal"].indexOf(worst(device.claims)) + (device.mount ? 0 : 9);
  const ordered = [...data.devices].sort(
    (a, b) => Number(!a.mount) - Number(!b.mount) || (rank(a) < 0) - (rank(b) < 0) || rank(a) - rank(b),
  );
  const first = html("p", "quiet p-3", "No device yet. ");
  first.append(
    Object.assign(html("a", "", "Make places and devices"), { href: address("/survey") }),
    ", then put them here.",
  );
  find("list").replaceChildren(...(ordered.length ? ordered.map(line) : [first]));
}

export function shortList() {
  const rows = data.devices.flatMap((device) =>
    device.claims
      .filter((claim) => claim.verdict === "fail")
      .map((claim) =>
        html(
          "p",
          "",
          html("b", "code-word", device.code),
          ` ${claim.label}: ${withUnit(claim.value, claim.unit)}, wished
      ${claim.wish}; ${claim.reason}`,
        ),
      ),
  );
  const wished = data.devices.some((device) => device.claims.length > 0);
  const met = wished ? "Nothing: every wish of the plan is met." : "The plan wishes nothing yet: draw an aim.";
  const nothing = html("p", "quiet", met);
  find("short").replaceChildren(...(rows.length ? rows : [nothing]));
}

// ---- the legend, by which layers are shown and hidden ----

export function legend(redraw) {
  const swatch = (name, text) => html("span", "", html("i", `swatch ${name}`), text);
  const share = (value) => `${(100 * value).toFixed(1)} %`;
  const toggle = (layer, name, text) => {
    const made = button("layer", "", () => {
      if (!state.hidden.delete(layer)) state.hidden.add(layer);
      redraw();
      legend(redraw);
    });
    made.append(html("i", `swatch ${name}`), text);
    made.setAttribute("aria-pressed", String(!state.hidden.has(layer)));
    return made;
  };
  const grades = data.grades.map(([name, least], n) => swatch(`band-${n}`, `${short(least)} ${name}`)).reverse();
  find("legend").replaceChildren(
    html("div", "grades", grades),
    html("div", "layers", [
      toggle("cameras", "band-2", "cameras"),
      toggle("shadow", "in-shadow-swatch", "in shadow"),
      toggle("radars", "radar-swatch", "radars"),
      toggle("speakers", "speaker-swatch", "loud enough"),
      toggle("aims", "aim-swatch", "aims"),
      toggle("places", "place-swatch", "places"),
      toggle("outlines", "outline-swatch", "water and roads"),
      pictureOf() ? toggle("picture", "picture-swatch", "ground picture") : null,
      toggle("unseen", "unseen-swatch", `unseen ${share(data.unseen.share)}`),
      toggle("twice", "twice-swatch", `seen twice ${share(data.twice.share)}`),
      data.loud.length ? toggle("loud", "loud-swatch", "all speakers") : null,
    ]),
  );
}

// ---- the chosen device ----

function claimRows(device, take) {
  return device.claims.flatMap((claim) => {
    const row = html(
      "tr",
      "",
      html("td", "", shape(SHAPES[claim.verdict])),
      html("td", "", claim.label, html("div", "quiet", claim.reason)),
      html("td", "num", html("b", "", withUnit(claim.value, claim.unit))),
      html("td", "num quiet", claim.wish),
    );
    row.title = claim.source;
    const cures = claim.remedies.map((remedy) => {
      const taking = remedy.by_hand
        ? html("span", "quiet", `by hand: ${remedy.by_hand}`)
        : button("btn btn-small", "Take it", () => take(device, claim, remedy, taking));
      const inner = html("td", "", html("div", "cure", html("span", "", remedy.text), data.edits ? taking : null));
      inner.colSpan = 3;
      return html("tr", "cure-row", html("td"), inner);
    });
    return [row, ...cures];
  });
}

export function panel(acts) {
  const device = devices.get(state.chosen);
  const side = find("panel");
  if (!device) {
    side.replaceChildren(
      html(
        "p",
        "quiet p-3",
        data.devices.length
          ? "Choose a device, on the plan or in the list."
          : "Draw: the ground from a DXF, an SVG, a PDF or a picture, then walls, places, and what each device is for.",
      ),
    );
    return;
  }
  const heading = html("h2", "", html("span", "code-word", device.code), device.name);
  side.replaceChildren(
    heading,
    ...(device.mount ? mounted(device, acts) : notMounted(device, acts)),
    ...takenBack(acts),
    fold(`states ${device.code}`, "Earlier states", earlierStates(device, acts)),
  );
}

// What was done last, here or on another device, and by whoever looks: one press, or u, takes it back.
function takenBack(acts) {
  if (!data.step) return [];
  const line = html("div", "row-line mt-3", button("btn btn-small", "Undo", acts.takeBack));
  line.append(html("span", "quiet", `${data.step.name}: ${data.step.reason}`));
  return [line];
}

function earlierStates(device, acts) {
  const rows = device.states?.map((each, n) =>
    html(
      "div",
      "state-row",
      html("span", "", html("b", "", `${each.number}`), ` ${each.at} ${each.who}`, html("div", "quiet", each.reason)),
      n === 0
        ? html("span", "quiet", "in use")
        : data.edits
          ? button("btn btn-small", "Bring it back", () => acts.bringBack(device, each.number))
          : null,
    ),
  );
  if (!rows) return [button("btn btn-small", "Show them", () => acts.tellStates(device))];
  return rows.length ? rows : [html("p", "quiet", "It is as it was made, or came with the site's file.")];
}

function notMounted(device, acts) {
  const told = html("p", "quiet", "It does not stand on the plan yet.");
  return data.edits ? [told, button("btn btn-main", "Put it on the plan", () => acts.putOn(device))] : [told];
}

function mounted(device, acts) {
  const parts = [];
  const only = [
    ["x_m", "X"],
    ["y_m", "Y"],
  ].map(([key, label]) => ({ key, label, unit: "m", default: 0 }));
  const line = (each) =>
    numberField(
      {
        ...each,
        value: device.mount[each.key] ?? each.default,
        disabled: !data.edits,
        hint: each.optional ? "not said" : "",
      },
      (value) => acts.change(device, { [each.key]: value }),
    );
  const fields = device.fields.length ? device.fields : only;
  const rare = fields.filter((each) => each.optional && each.default === null);
  parts.push(...fields.filter((each) => !rare.includes(each)).map(line));
  if (rare.length) {
    const said = rare.some((each) => (device.mount[each.key] ?? null) !== null);
    parts.push(fold(`rare ${device.code}`, "More of it", rare.map(line), said));
  }
  const trouble = html("div", "notice mt-2", device.trouble ?? "");
  trouble.hidden = !device.trouble;
  trouble.setAttribute("role", "alert");
  parts.push(trouble);
  if (device.dirty && data.edits)
    parts.push(
      html(
        "div",
        "row-line mt-2",
        button("btn btn-main", "Save it here", () => acts.keep(device)),
        button("btn btn-small", "Back to where it was", acts.takeBack),
      ),
    );
  if (device.facts?.length) {
    const line = ([label, value]) => html("div", "fact", html("span", "quiet", label), html("span", "", value));
    parts.push(fold("facts", "What it gives", device.facts.map(line)));
  }
  if (device.claims.length)
    parts.push(
      html("h2", "mt-3", "Promised"),
      html(
        "table",
        "ledger claims",
        html("thead", "", html("tr", "", html("th"), html("th"), html("th", "num", "here"), html("th", "num", "wish"))),
        html("tbody", "", claimRows(device, acts.take)),
      ),
    );
  else
    parts.push(
      html(
        "p",
        "quiet mt-3",
        "The plan wishes nothing of it: an aim, drawn on the plan, says what it must see, read or be heard at.",
      ),
    );
  return parts;
}
