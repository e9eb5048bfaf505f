// Metres of the plan to units of the chart and back. The whole plan fits a sheet of about 420 by 260 units, so that
// marks and words are as large on a small yard as on a harbour; nearer, the chart shows a part of it.
import { data, draft, find } from "./state.js";

const SHEET = [420, 260];
const MOST = 40;
export const chart = find("chart");
export const layer = (name) => chart.querySelector(`[data-layer="${name}"]`);
const view = { near: 1, left: 0, top: 0 };

const size = () => [draft.plan.width_m ?? data.size[0], draft.plan.height_m ?? data.size[1]];
const whole = () => Math.min(SHEET[0] / size()[0], SHEET[1] / size()[1]);
export const scale = () => whole() * view.near;
export const sheet = () => size().map((side) => side * whole());
export const isNear = () => view.near > 1;

export const X = (x) => (x - view.left) * scale();
export const Y = (y) => (view.top - y) * scale();
export const at = ([x, y]) => [X(x), Y(y)];
const brief = (value) => Math.round(value * 100) / 100;
export const points = (list) => list.map(([x, y]) => `${brief(X(x))},${brief(Y(y))}`).join(" ");
const CORNER = /([ML])(-?[\d.]+) (-?[\d.]+)/g;
export const path = (metres) => metres.replace(CORNER, (_, command, x, y) => `${command}${brief(X(x))} ${brief(Y(y))}`);

// Where on the plan a pointer is, in metres.
export function metres(event) {
  const box = chart.getBoundingClientRect();
  const [width, height] = sheet();
  const drawn = Math.min(box.width / width, box.height / height);
  const [x, y] = [
    (event.clientX - box.left - (box.width - width * drawn) / 2) / drawn,
    (event.clientY - box.top - (box.height - height * drawn) / 2) / drawn,
  ];
  return [view.left + x / scale(), view.top - y / scale()];
}

// How many metres so many pixels of the screen are.
export function pixels(count) {
  const box = chart.getBoundingClientRect();
  const [width, height] = sheet();
  return count / Math.min(box.width / width, box.height / height) / scale();
}

export function fit() {
  const [width, height] = sheet();
  chart.setAttribute("viewBox", `0 0 ${brief(width)} ${brief(height)}`);
  chart.style.aspectRatio = `${width} / ${height}`;
  chart.parentElement.style.setProperty("--aspect", (width / height).toFixed(4));
  if (view.near === 1) [view.left, view.top] = [0, size()[1]];
  chart.dataset.near = view.near.toFixed(2);
}

const held = (value, low, high) => Math.min(Math.max(value, low), Math.max(low, high));

function settle(left, top) {
  const [width, height] = size();
  view.left = held(left, 0, width - width / view.near);
  view.top = held(top, height / view.near, height);
}

export function shift(dx, dy) {
  settle(view.left + dx, view.top + dy);
}

// Nearer or farther, about a place that stays where it is.
export function zoom(by, place) {
  const [x, y] = place ?? [view.left + size()[0] / view.near / 2, view.top - size()[1] / view.near / 2];
  const before = view.near;
  view.near = held(before * by, 1, MOST);
  const ratio = before / view.near;
  settle(x - (x - view.left) * ratio, y + (view.top - y) * ratio);
  fit();
}

export function showAll() {
  view.near = 1;
  fit();
}
