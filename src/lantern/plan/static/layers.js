// What is drawn of the plan itself: the ground, what all devices give together, places and walls, aims, the frame.
import { address } from "/static/js/http.js";
import { el } from "/static/js/svg.js";
import { short } from "./parts.js";
import { data, draft, shown, state, worst } from "./state.js";
import { X, Y, at, path, points, scale, sheet } from "./view.js";

const NAME_FROM = 26; // units of the chart: a building that wide has room for its name

// ---- the ground ----

// The ground picture that the drawing names, if it is here.
export const pictureOf = () => data.pictures[draft.plan.picture] ?? null;

// Where the picture lies: its lower left corner at the plan's origin, turned so that north is up.
export function placed() {
  const picture = pictureOf();
  const { metres_per_px: metres, origin = [0, 0], north_deg: north = 0, width_m: width } = draft.plan;
  return { origin, north, metres: metres ?? (width ?? data.size[0]) / picture.width_px };
}

function picture() {
  if (!pictureOf() || !shown("picture")) return [];
  const { origin, north, metres } = placed();
  const { width_px: width, height_px: height, name } = pictureOf();
  const k = metres * scale();
  return [
    el("image", {
      href: address(`/plan/pictures/${encodeURIComponent(name)}`),
      width,
      height,
      y: -height,
      class: "ground-picture",
      preserveAspectRatio: "none",
      transform: `translate(${X(origin[0])} ${Y(origin[1])}) rotate(${-north}) scale(${k})`,
    }),
  ];
}

// What is drawn of a thing says of which, so that it can be moved without all the rest being drawn again.
export const of = (list, n, corners) => ({ "data-of": `${list}/${n}`, points: points(corners) });

function water(each, n) {
  const layerOf = (name, width) =>
    el("polygon", { class: name, ...of("outlines", n, each.points), "stroke-width": width });
  const shoals = [44, 32, 21, 11].map((width) => layerOf("shoal", width * scale()));
  return [
    el("clipPath", { id: `water-${n}` }, el("polygon", of("outlines", n, each.points))),
    el("g", { "clip-path": `url(#water-${n})` }, layerOf("water"), ...shoals, layerOf("shore", 1.6)),
  ];
}

const OUTLINES = {
  water,
  road: (each, n) =>
    [
      ["road-edge", 9],
      ["road", 8],
    ].map(([name, width]) =>
      el("polyline", { class: name, ...of("outlines", n, each.points), "stroke-width": width * scale() }),
    ),
  pier: (each, n) => [el("polygon", { class: "pier", ...of("outlines", n, each.points) })],
  line: (each, n) => [el("polyline", { class: "plan-line", ...of("outlines", n, each.points) })],
};

export function ground() {
  const [width, height] = sheet();
  const { outlines = [] } = draft.plan;
  const drawn = outlines.map((each, n) => [each, n]).sort(([a], [b]) => (b.what === "water") - (a.what === "water"));
  return [
    el("rect", { class: "land", width, height }),
    ...picture(),
    ...(shown("outlines") ? drawn.flatMap(([each, n]) => OUTLINES[each.what](each, n)) : []),
  ];
}

export function beneath() {
  const out = [];
  if (shown("loud"))
    for (const band of data.loud)
      out.push(
        el("path", { class: "loud", d: path(band.path) }, el("title", {}, `at least ${short(band.level)} dB(A)`)),
        el("text", { class: "loud-word", x: X(band.at[0]), y: Y(band.at[1]) + 1 }, `${short(band.level)} dB`),
      );
  if (shown("unseen")) out.push(el("path", { class: "unseen", d: path(data.unseen.path) }));
  if (shown("twice")) out.push(el("path", { class: "twice", d: path(data.twice.path) }));
  return out;
}

// ---- what is drawn over them ----

export function over() {
  const [out, words] = [[], []];
  if (shown("places"))
    for (const [n, place] of draft.places.entries())
      if (place.polygon) {
        const [x, y] = [0, 1].map((k) => Math.min(...place.polygon.map((point) => at(point)[k])));
        out.push(el("polygon", { class: "place-outline", ...of("places", n, place.polygon) }));
        words.push(el("text", { class: "place-word", x: x + 2, y: y - 2 }, place.name));
      }
  for (const [n, each] of (draft.plan.occluders ?? []).entries()) {
    const kind = each.closed ? "polygon" : "polyline";
    out.push(
      el(
        kind,
        { class: `occluder ${each.closed ? "" : "wall"}`, ...of("occluders", n, each.points) },
        el("title", {}, `${each.name}, ${each.height_m} m, ${each.material ?? "concrete"}`),
      ),
    );
    if (!each.closed) continue;
    const [xs, ys] = [0, 1].map((k) => each.points.map((point) => at(point)[k]));
    const [left, right] = [Math.min(...xs), Math.max(...xs)];
    if (right - left > NAME_FROM)
      out.push(
        el(
          "text",
          { class: "place-name", x: (left + right) / 2, y: (Math.min(...ys) + Math.max(...ys)) / 2 + 1.6 },
          each.name,
        ),
      );
  }
  return [...out, ...words];
}

export function aims() {
  if (!shown("aims")) return [];
  return (draft.plan.aims ?? []).flatMap((aim) => {
    const device = data.devices.find((each) => each.code === aim.device);
    const found = (device?.claims ?? []).filter((claim) => claim.aim === aim.name);
    const word = worst(found) ?? "pass";
    const own = device?.id === state.chosen ? " chosen" : "";
    const kind = data.offers.aims[aim.what].shape;
    const out = [];
    if (aim.points.length > 1)
      out.push(
        el(kind === "area" && aim.points.length > 2 ? "polygon" : "polyline", {
          class: `${kind === "area" ? "wished-area" : "way"}${own}`,
          points: points(aim.points),
        }),
      );
    const worstAt = found.find((claim) => claim.verdict === word && claim.at)?.at;
    const middle = [0, 1].map((n) => (aim.points[0][n] + aim.points.at(-1)[n]) / 2);
    const [x, y] = at(worstAt ?? (kind === "way" ? middle : aim.points[0]));
    out.push(
      el(
        "g",
        { class: `aim ${word}`, transform: `translate(${x} ${y}) scale(0.55)` },
        word === "fail" ? el("path", { d: "M-5-5 5 5M-5 5 5-5" }) : el("path", { d: "M0-6 6 0 0 6-6 0Z" }),
        el("title", {}, aim.name),
      ),
    );
    return out;
  });
}

// ---- the frame ----

export function frame() {
  const [width, height] = sheet();
  const bar = [500, 200, 100, 50, 20, 10, 5, 2].find((length) => length * scale() < width / 4) ?? 1;
  const [y, long] = [height - 7, bar * scale()];
  const word = (x, text) => el("text", { class: "scale-word", x, y: y - 4 }, text);
  const parts = [
    el("rect", { class: "scale-ground", x: 4, y: y - 12, width: long + 22, height: 16 }),
    word(8, "0"),
    word(8 + long, `${bar} m`),
  ];
  for (let n = 0; n < 5; n += 1)
    parts.push(
      el("rect", {
        class: n % 2 ? "scale-pale" : "scale-dark",
        x: 8 + (n * long) / 5,
        y: y - 2.4,
        width: long / 5,
        height: 2.4,
      }),
    );
  parts.push(el("path", { class: "north", d: "M15 12 L19 27 L15 23.5 L11 27 Z" }));
  parts.push(el("text", { class: "scale-word", x: 15, y: 10.5, "text-anchor": "middle" }, "N"));
  return parts;
}
