// A camera from the side, along its axis.
import { el } from "../svg.js";
import { short } from "./parts.js";
import { find } from "./state.js";

const SIDE = { width: 690, height: 128, left: 34, bottom: 22, top: 14 };

export function sideView(device) {
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
