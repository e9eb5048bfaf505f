// The plan as a chart: draws what the server worked out, drags devices, asks what a place would give. It knows no rule
// of the job.
import { ask, latest, pageData } from "./http.js";
import { el } from "./svg.js";

const data = pageData();
const find = (name) => document.querySelector(`[data-${name}]`);
const chart = find("chart");
const [WIDTH, HEIGHT] = data.size;
const SHAPES = { pass: "hit", marginal: "caution", fail: "false" };
const WORDS = { pass: "as wished", marginal: "just short", fail: "falls short" };
const devices = new Map(data.devices.map((device) => [device.id, device]));
let chosen = null;

const html = (tag, name = "", ...inner) => {
  const made = document.createElement(tag);
  if (name) made.className = name;
  made.append(...inner);
  return made;
};
const shape = (name) => document.getElementById(`shape-${name}`).content.cloneNode(true);
const short = (value, digits = 1) => (value === null || value === undefined ? "none"
  : Number(value.toFixed(Math.abs(value) >= 100 ? 0 : digits)).toString());
const typed = (value) => String(Math.round(value * 1000) / 1000);
const withUnit = (value, unit, digits = 1) => `${short(value, digits)}${unit === "°" ? "" : " "}${unit}`;
const worst = (claims) => ["fail", "marginal", "pass"].find((word) => claims.some((claim) => claim.verdict === word));
const points = (list) => list.map(([x, y]) => `${x},${HEIGHT - y}`).join(" ");
const flipped = `translate(0 ${HEIGHT}) scale(1 -1)`;

// ---- the chart ----

chart.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
chart.style.aspectRatio = `${WIDTH} / ${HEIGHT}`;

function ground() {
  const parts = [el("defs", {}), el("rect", { class: "land", width: WIDTH, height: HEIGHT })];
  const { outlines = [], occluders = [] } = data.plan;
  outlines.filter((each) => each.what === "water").forEach((each, n) => {
    parts[0].append(el("clipPath", { id: `water-${n}` }, el("polygon", { points: points(each.points) })));
    const layer = (name, width) => el("polygon", { class: name, points: points(each.points), "stroke-width": width });
    const shoals = [44, 32, 21, 11].map((width) => layer("shoal", width));
    parts.push(el("g", { "clip-path": `url(#water-${n})` }, layer("water"), ...shoals, layer("shore", 1.6)));
  });
  for (const each of outlines) {
    if (each.what === "road") parts.push(el("polyline", { class: "road-edge", points: points(each.points) }),
      el("polyline", { class: "road", points: points(each.points) }));
    if (each.what === "pier") parts.push(el("polygon", { class: "pier", points: points(each.points) }));
    if (each.what === "line") parts.push(el("polyline", { class: "plan-line", points: points(each.points) }));
  }
  const over = [];
  for (const each of occluders) {
    const kind = each.closed ? "polygon" : "polyline";
    over.push(el(kind, { class: `occluder ${each.closed ? "" : "wall"}`, points: points(each.points) },
      el("title", {}, `${each.name}, ${each.height_m} m, ${each.material ?? "concrete"}`)));
    if (!each.closed) continue;
    const [xs, ys] = [0, 1].map((n) => each.points.map((point) => point[n]));
    const [left, right] = [Math.min(...xs), Math.max(...xs)];
    if (right - left > 25) over.push(el("text", { class: "place-name", x: (left + right) / 2,
      y: HEIGHT - (Math.min(...ys) + Math.max(...ys)) / 2 + 1.6 }, each.name));
  }
  return [...parts, el("g", { "data-fields": "" }), ...over, el("g", { "data-marks": "" })];
}

function frame() {
  const bar = [50, 20, 100, 10].find((length) => length < WIDTH / 4) ?? 5;
  const y = HEIGHT - 7;
  const parts = [el("text", { class: "scale-word", x: 8, y: y - 4 }, "0"), el("text", { class: "scale-word", x: 8 + bar,
    y: y - 4 }, `${bar} m`)];
  for (let n = 0; n < 5; n += 1) {
    const at = { x: 8 + (n * bar) / 5, y: y - 2.4, width: bar / 5, height: 2.4 };
    parts.push(el("rect", { class: n % 2 ? "scale-pale" : "scale-dark", ...at }));
  }
  parts.push(el("path", { class: "north", d: "M15 12 L19 27 L15 23.5 L11 27 Z" }));
  parts.push(el("text", { class: "scale-word", x: 15, y: 10.5, "text-anchor": "middle" }, "N"));
  return parts;
}

function field(device) {
  const drawn = device.drawn;
  const group = el("g", { class: `field ${device.id === chosen ? "chosen" : ""}` });
  const inside = el("g", { transform: flipped });
  group.append(inside);
  if (drawn.what === "camera" || drawn.what === "footprint") {
    drawn.bands.forEach((band) => {
      const rank = data.grades.findIndex(([name]) => name === band.grade);
      inside.append(el("path", { class: `band band-${rank < 0 ? 2 : rank}`, d: band.path }));
    });
    if (drawn.shadow) inside.append(el("path", { class: "in-shadow", d: drawn.shadow }));
    if (device.id === chosen) for (const line of drawn.contours) {
      const [[x1, y1], [x2, y2]] = [line.from, line.to];
      group.append(el("line", { class: "contour", x1, y1: HEIGHT - y1, x2, y2: HEIGHT - y2 }),
        el("text", { class: "contour-word", x: (x1 + x2) / 2, y: HEIGHT - (y1 + y2) / 2 + 1.5 }, short(line.px)));
    }
  }
  if (drawn.what === "radar") {
    inside.append(el("path", { class: "reach radar", d: drawn.reach }));
    for (const [one, other] of drawn.blind) {
      inside.append(el("line", { class: "blind", x1: one[0], y1: one[1], x2: other[0], y2: other[1] }));
    }
    if (device.id === chosen) inside.append(...drawn.rings.map((ring) => el("path", { class: "ring", d: ring.path })));
  }
  if (drawn.what === "speaker") inside.append(el("path", { class: "reach speaker", d: drawn.reach }));
  return group;
}

function aims() {
  const out = [];
  for (const aim of data.plan.aims ?? []) {
    const device = data.devices.find((each) => each.code === aim.device);
    const word = worst((device?.claims ?? []).filter((claim) => claim.aim === aim.name)) ?? "pass";
    const at = aim.points.map(([x, y]) => [x, HEIGHT - y]);
    const own = device?.id === chosen ? " chosen" : "";
    if (aim.what === "walk") out.push(el("polyline", { class: `way${own}`, points: points(aim.points) }));
    if (aim.what === "density") out.push(el("polygon", { class: `zone${own}`, points: points(aim.points) }));
    const [x, y] = aim.what === "walk" && at.length === 2 ? [0, 1].map((n) => (at[0][n] + at[1][n]) / 2) : at[0];
    out.push(el("g", { class: `aim ${word}`, transform: `translate(${x} ${y}) scale(0.55)` }, word === "fail"
      ? el("path", { d: "M-5-5 5 5M-5 5 5-5" }) : el("path", { d: "M0-6 6 0 0 6-6 0Z" }), el("title", {}, aim.name)));
  }
  return out;
}

function mark(device) {
  const [x, y] = [device.mount.x_m, HEIGHT - device.mount.y_m];
  const turn = device.mount.azimuth_deg ?? 0;
  const word = worst(device.claims) ?? "none";
  const group = el("g", {
    class: `mount ${word} ${device.id === chosen ? "chosen" : ""}`, transform: `translate(${x} ${y})`,
    "data-device": device.id, tabindex: 0, role: "button", "aria-label": `${device.code} ${device.name}`,
  });
  group.append(el("circle", { class: "catch", r: 8 }), el("path", { transform: `rotate(${turn})`,
    d: device.drawn?.what === "footprint" ? "M-4-4H4V4H-4Z" : "M0-7 5 4.8H-5Z" }), el("text", { x: 6,
    y: -5 }, device.code));
  return group;
}

function draw() {
  chart.querySelector("[data-fields]").replaceChildren(...data.devices.filter((d) => d.drawn).sort((a, b) =>
    Number(a.id === chosen) - Number(b.id === chosen)).map(field));
  chart.querySelector("[data-marks]").replaceChildren(...aims(), ...data.devices.filter((d) => d.mount).map(mark));
}

// ---- beside it ----

function list() {
  const line = (device) => {
    const word = device.wrong ? "fail" : worst(device.claims);
    const falls = device.claims.filter((claim) => claim.verdict === "fail").map((claim) => claim.label.toLowerCase());
    const stands = device.mount ? WORDS[word] ?? "stands" : "not on the plan";
    const told = device.wrong || falls.slice(0, 2).join(", ") || stands;
    const row = html("button", "plan-line-button", shape(word ? SHAPES[word] : "none"),
      html("span", "code", device.code), html("span", "", device.name), html("small", "", told));
    row.type = "button";
    if (device.id === chosen) row.setAttribute("aria-current", "true");
    row.addEventListener("click", () => choose(device.id));
    return row;
  };
  const rank = (device) => ["fail", "marginal"].indexOf(worst(device.claims)) + (device.mount ? 0 : 9);
  const ordered = [...data.devices].sort((a, b) => Number(!a.mount) - Number(!b.mount) || (rank(a) < 0) - (rank(b) < 0)
    || rank(a) - rank(b));
  find("list").replaceChildren(...ordered.map(line));
}

function shortList() {
  const rows = data.devices.flatMap((device) => device.claims.filter((claim) => claim.verdict === "fail").map((claim) =>
    html("p", "", html("b", "code-word", device.code), ` ${claim.label}: ${withUnit(claim.value, claim.unit)}, wished
      ${claim.wish}; ${claim.reason}`)));
  const nothing = html("p", "quiet", "Nothing: every wish of the plan is met.");
  find("short").replaceChildren(...(rows.length ? rows : [nothing]));
}

function legend() {
  const swatch = (name, text) => html("span", "", html("i", `swatch ${name}`), text);
  find("legend").replaceChildren(...data.grades.map(([name, least], n) => [n, `${short(least)} ${name}`]).reverse().map(
    ([n, text]) => swatch(`band-${n}`, text)), swatch("in-shadow-swatch", "in shadow"), swatch("radar-swatch", "radar"),
    swatch("speaker-swatch", "loud enough by night"));
}

function claimRows(device) {
  return device.claims.flatMap((claim) => {
    const row = html("tr", "",
      html("td", "", shape(SHAPES[claim.verdict])),
      html("td", "", claim.label, html("div", "quiet", claim.reason)),
      html("td", "num", html("b", "", withUnit(claim.value, claim.unit))),
      html("td", "num quiet", claim.wish));
    const cures = claim.remedies.map((remedy) => {
      const button = html("button", "btn btn-small", "Take it");
      button.type = "button";
      button.disabled = !Object.keys(remedy.mount).length && !Object.keys(remedy.aim).length;
      button.addEventListener("click", () => take(device, claim, remedy, button));
      const inner = html("td", "", html("div", "cure", html("span", "", remedy.text), data.edits ? button : ""));
      inner.colSpan = 3;
      return html("tr", "cure-row", html("td"), inner);
    });
    return [row, ...cures];
  });
}

function panel() {
  const device = devices.get(chosen);
  const side = find("panel");
  if (!device) { side.replaceChildren(html("p", "quiet p-3", "Choose a device, on the plan or in the list."));
    return; }
  const parts = [html("h2", "", html("span", "code-word", device.code), device.name)];
  if (!device.mount) {
    parts.push(html("p", "quiet", "It does not stand on the plan yet."));
    if (data.edits) {
      const button = html("button", "btn btn-main", "Put it on the plan");
      button.type = "button";
      button.addEventListener("click", () => { device.mount = { ...device.first, x_m: WIDTH / 2, y_m: HEIGHT / 2 };
        device.dirty = true; attempt(device); });
      parts.push(button);
    }
    side.replaceChildren(...parts);
    return;
  }
  const only = [["x_m", "X"], ["y_m", "Y"]].map(([key, label]) => ({ key, label, unit: "m" }));
  const fields = device.fields.length ? device.fields : only;
  for (const each of fields) {
    const input = html("input", "form-control num-input");
    Object.assign(input, { value: typed(device.mount[each.key] ?? 0), inputMode: "decimal", disabled: !data.edits });
    input.setAttribute("aria-label", each.label);
    input.addEventListener("change", () => {
      const value = Number(input.value.replace(",", "."));
      if (!Number.isFinite(value)) { input.value = typed(device.mount[each.key]); return; }
      device.mount = { ...device.mount, [each.key]: value };
      device.dirty = true;
      attempt(device);
    });
    parts.push(html("label", "mount-field", html("span", "", each.label), input, html("span", "quiet", each.unit)));
  }
  const trouble = html("div", "notice mt-2", device.trouble ?? "");
  trouble.hidden = !device.trouble;
  trouble.setAttribute("role", "alert");
  parts.push(trouble);
  if (device.dirty && data.edits) {
    const [save, back] = ["Save it here", "Back to where it was"].map((text, n) => html("button", n ? "btn btn-small"
      : "btn btn-main", text));
    save.type = "button";
    back.type = "button";
    save.addEventListener("click", () => keep(device));
    back.addEventListener("click", () => location.reload());
    parts.push(html("div", "row-line mt-2", save, back));
  }
  if (device.claims.length) parts.push(html("h2", "mt-3", "Promised"), html("table", "ledger claims", html("thead", "",
    html("tr", "", html("th"), html("th"), html("th", "num", "here"), html("th", "num", "wish"))), html("tbody", "",
    ...claimRows(device))));
  else parts.push(html("p", "quiet mt-3",
    "The plan wishes nothing of it: an aim says what it must see, read or be heard at."));
  side.replaceChildren(...parts);
}

// ---- from the side ----

const SIDE = { width: 690, height: 128, left: 34, bottom: 22, top: 14 };

function sideView(device) {
  const part = find("side-part");
  const told = device?.side;
  part.hidden = !told;
  if (!told) return;
  find("side-title").textContent = `${device.code} from the side, along its axis, metres`;
  const svg = find("side");
  svg.setAttribute("viewBox", `0 0 ${SIDE.width} ${SIDE.height}`);
  const tall = Math.max(told.height * 1.25, 3, ...told.walls.map((wall) => wall[2]));
  const x = (m) => SIDE.left + (m / told.length) * (SIDE.width - SIDE.left - 10);
  const y = (m) => SIDE.height - SIDE.bottom - (m / tall) * (SIDE.height - SIDE.bottom - SIDE.top);
  const far = told.far === null ? told.length : Math.min(told.far, told.length);
  const near = Math.max(told.near ?? 0, 0);
  const parts = [];
  const horizonY = told.far === null ? y(told.height) : y(0);
  parts.push(el("polygon", { class: "seen", points: `${x(0)},${y(told.height)} ${x(near)},${y(0)} ${x(far)},${y(0)}
    ${told.far === null ? `${x(told.length)},${horizonY}` : ""}` }));
  if (near > 0) parts.push(el("polygon", { class: "beneath", points: `${x(0)},${y(told.height)} ${x(near)},${y(0)}
    ${x(0)},${y(0)}` }));
  for (const [from, to] of told.hidden) parts.push(el("rect", { class: "hidden-ground", x: x(from), y: y(0) - 4,
    width: Math.max(x(Math.min(to, told.length)) - x(from), 0), height: 4 }));
  for (const [name, at, high] of told.walls) {
    const box = { x: x(at) - 1.5, y: y(high), width: 3, height: y(0) - y(high) };
    parts.push(el("rect", { class: "wall-side", ...box }, el("title", {}, name)));
  }
  for (const [name, px, at] of told.grades) if (at < told.length) parts.push(el("line", { class: "contour", x1: x(at),
    x2: x(at), y1: SIDE.top, y2: y(0) }), el("text", { class: "side-word grade", x: x(at) + 3, y: SIDE.top + 9 },
    `${short(px)} ${name}`));
  parts.push(el("line", { class: "pole", x1: x(0), x2: x(0), y1: y(told.height), y2: y(0) }), el("rect", { class: "eye",
    x: x(0) - 4, y: y(told.height) - 4, width: 10, height: 7 }), el("line", { class: "ground-line", x1: 0,
    x2: SIDE.width, y1: y(0), y2: y(0) }));
  for (const [name, at, high] of told.aims.filter((aim) => aim[1] > 0 && aim[1] < told.length)) {
    parts.push(el("line", { class: "sight", x1: x(0), y1: y(told.height), x2: x(at), y2: y(high) }));
    parts.push(el("rect", { class: "target", x: x(at) - 2.5, y: y(high) - 6, width: 5, height: 6 }));
    parts.push(el("text", { class: "side-word", x: x(at) + 5, y: y(high) - 7 }, name));
  }
  const step = [1, 2, 5, 10, 20, 50].find((each) => told.length / each <= 9) ?? 100;
  for (let at = 0; at <= told.length; at += step) parts.push(el("text", { class: "side-word tick", x: x(at),
    y: SIDE.height - 6 }, at), el("line", { class: "ground-line", x1: x(at), x2: x(at), y1: y(0), y2: y(0) + 4 }));
  svg.replaceChildren(...parts);
}

// ---- doing ----

function all() { draw(); list(); shortList(); panel(); sideView(devices.get(chosen)); }

const newest = latest(async (device, dragged) => {
  try {
    const told = await ask("POST", `/plan/devices/${device.id}/try`, { mount: device.mount });
    Object.assign(device, { drawn: told.drawn, claims: told.claims, side: told.side, trouble: "" });
  } catch (error) {
    device.trouble = error.message;
  }
  if (dragged) { draw(); sideView(device); } else all();
});

const attempt = (device, dragged = false) => newest(device, dragged);

async function look(device) {
  if (!device.mount || device.dirty) return;
  const told = await ask("GET", `/plan/devices/${device.id}`);
  if (device.dirty) return; // it was moved meanwhile
  Object.assign(device, { claims: told.claims ?? [], side: told.side ?? null });
  if (chosen === device.id) { panel(); sideView(device); }
}

function choose(id) {
  chosen = id;
  history.replaceState(null, "", `#${devices.get(id)?.code ?? ""}`);
  all();
  if (devices.has(id)) look(devices.get(id));
}

async function keep(device) {
  try {
    await ask("PUT", `/plan/devices/${device.id}`, { mount: device.mount });
    location.reload();
  } catch (error) { device.trouble = error.message; panel(); }
}

async function take(device, claim, remedy, button) {
  button.disabled = true;
  try {
    await ask("POST", `/plan/devices/${device.id}/remedies`, { name: claim.name, aim: claim.aim, text: remedy.text });
    location.reload();
  } catch (error) { device.trouble = error.message; panel(); }
}

const place = (event) => {
  const box = chart.getBoundingClientRect();
  const scale = Math.min(box.width / WIDTH, box.height / HEIGHT);
  return [(event.clientX - box.left - (box.width - WIDTH * scale) / 2) / scale,
    HEIGHT - (event.clientY - box.top - (box.height - HEIGHT * scale) / 2) / scale];
};

const deviceUnder = ({ target }) => devices.get(Number(target.closest("[data-device]")?.dataset.device));

let drag = null;
chart.addEventListener("pointerdown", (event) => {
  const device = deviceUnder(event);
  if (!device) { choose(null); return; }
  choose(device.id);
  if (!data.edits) return;
  chart.setPointerCapture(event.pointerId);
  drag = { device, at: place(event), from: [device.mount.x_m, device.mount.y_m], moved: false };
});
chart.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const [x, y] = place(event);
  const [dx, dy] = [x - drag.at[0], y - drag.at[1]];
  if (!drag.moved && Math.hypot(dx, dy) < 0.6) return;
  drag.moved = true;
  const rounded = (value) => Math.round(value * 10) / 10;
  drag.device.mount = { ...drag.device.mount, x_m: rounded(drag.from[0] + dx), y_m: rounded(drag.from[1] + dy) };
  drag.device.dirty = true;
  draw();
  attempt(drag.device, true);
});
chart.addEventListener("pointerup", () => {
  if (drag?.moved) attempt(drag.device);
  drag = null;
});
chart.addEventListener("keydown", (event) => {
  const device = deviceUnder(event);
  if (!device) return;
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
  if (event.key === "Enter" || event.key === " ") { event.preventDefault(); choose(device.id); }
  if (!step || !data.edits) return;
  event.preventDefault();
  event.stopPropagation();
  const by = event.shiftKey ? 1 : 0.1;
  const [x, y] = [device.mount.x_m + step[0] * by, device.mount.y_m + step[1] * by];
  device.mount = { ...device.mount, x_m: Math.round(x * 100) / 100, y_m: Math.round(y * 100) / 100 };
  device.dirty = true;
  chosen = device.id;
  attempt(device).then(() => chart.querySelector(`[data-device="${device.id}"]`)?.focus());
});

// ---- the plan itself ----

const dialog = document.getElementById("plan-dialog");
dialog.querySelector("textarea").value = JSON.stringify(data.plan, null, 1);
dialog.querySelector("[data-save-plan]").addEventListener("click", async () => {
  const faults = dialog.querySelector("[data-plan-faults]");
  const why = dialog.querySelector("input").value;
  try {
    const body = JSON.parse(dialog.querySelector("textarea").value);
    await ask("PUT", `/plan?base=${data.revision}${why ? `&reason=${encodeURIComponent(why)}` : ""}`, body);
    location.reload();
  } catch (error) {
    faults.hidden = false;
    faults.replaceChildren(...error.message.split("\n").map((line) => html("div", "", line)));
  }
});

find("blind").textContent = `${(100 * data.blind).toFixed(1)} %`;
chart.replaceChildren(...ground(), ...frame());
legend();
const wanted = data.devices.find((device) => `#${device.code}` === location.hash)
  ?? data.devices.find((device) => worst(device.claims) === "fail") ?? data.devices.find((d) => d.mount);
choose(wanted?.id ?? null);
chart.dataset.ready = "yes";
