// Once round as a ribbon of time: a block for each stay, a line for each way between; the end of a block is dragged.
import { el, redraw } from "/static/js/svg.js";

const [WIDTH, HEIGHT, TOP, GRIP, LEAST_TEXT] = [480, 26, 4, 7, 26];
const LEAST_S = 1;

// `change(stop, stay_s, is_over)`: a stay is dragged, and let go.
export function drawRibbon(svg, round, looks, change) {
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
  const whole = looks.reduce((sum, look) => sum + look[4] + look[5], 0);
  if (!whole) {
    redraw(svg, []);
    return;
  }
  const wide = (s) => (s / whole) * WIDTH;
  const stopAt = (n) => (n < round.stops.length ? n : 2 * (round.stops.length - 1) - n); // to and fro: it comes back
  const parts = [];
  let x = 0;
  looks.forEach((look, n) => {
    const [, , settled, , goes, stays] = look;
    const from = x + wide(goes);
    const to = from + wide(stays);
    parts.push(
      el("line", { class: "going", x1: x, x2: from, y1: HEIGHT / 2, y2: HEIGHT / 2 }),
      el(
        "rect",
        { class: settled ? "stays" : "sweeps", x: from, y: TOP, width: Math.max(to - from, 0.5), height: HEIGHT - 8 },
        el("title", {}, `${look[3]}: ${stays.toFixed(1)} s, ${goes.toFixed(1)} s to get there`),
      ),
    );
    if (settled && to - from > LEAST_TEXT)
      parts.push(el("text", { x: from + 5, y: HEIGHT / 2 + 4 }, `${stopAt(n) + 1}   ${Math.round(stays)} s`));
    if (settled && round.stops.length) {
      const grip = el("rect", { class: "grip", x: to - GRIP / 2, y: 0, width: GRIP, height: HEIGHT });
      grip.dataset.stop = stopAt(n);
      const per = whole / (svg.getBoundingClientRect().width || WIDTH);
      parts.push(grip);
      dragged(grip, (moved, isOver) => {
        change(stopAt(n), Math.max(Math.round(stays + moved * per), LEAST_S), isOver);
      });
    }
    x = to;
  });
  redraw(svg, parts);
}

// The block that is held is drawn anew while it is dragged: whoever holds it is heard of at the window.
function dragged(grip, tell) {
  grip.addEventListener("pointerdown", (down) => {
    down.preventDefault();
    const moved = (event) => tell(event.clientX - down.clientX, false);
    const over = (event) => {
      removeEventListener("pointermove", moved);
      removeEventListener("pointerup", over);
      removeEventListener("pointercancel", over);
      tell(event.clientX - down.clientX, true);
    };
    addEventListener("pointermove", moved);
    addEventListener("pointerup", over);
    addEventListener("pointercancel", over);
  });
}
