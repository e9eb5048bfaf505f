// A timetable over a year: a square a day, the darker the longer it is on; what is not like its weekday has a frame.
import { el, redraw } from "/static/js/svg.js";

const [LEFT, TOP, STEP, SIZE] = [44, 16, 19.6, 17];
const DAY_MS = 86_400_000;
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const DAYS = ["Mon", "", "Wed", "", "Fri", "", "Sun"];
const FULL = 1440;

const clock = (min) => `${String(Math.floor(min / 60)).padStart(2, "0")}:${String(min % 60).padStart(2, "0")}`;

export const stretchText = (hours) => hours.map((h) => `${clock(h.start_min)}-${clock(h.end_min)}`).join(", ");

// What somebody typed: 08:00-12:00, 13:00-17:00.
export function stretches(text) {
  return text
    .split(/[,;]+/)
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const found = part.match(/^(\d{1,2}):(\d{2})\s*[-–]\s*(\d{1,2}):(\d{2})$/);
      const [a, b, c, d] = (found ?? []).slice(1).map(Number);
      const [start_min, end_min] = [a * 60 + b, c * 60 + d];
      if (!found || b > 59 || d > 59 || start_min >= FULL || end_min > FULL)
        throw new Error(`${part}: expected hours such as 08:00-12:00, several with commas`);
      return { start_min, end_min };
    });
}

export function drawYear(svg, told, pick) {
  if (!told) {
    redraw(svg, []);
    return;
  }
  const first = Date.UTC(told.year, 0, 1);
  const shift = (new Date(first).getUTCDay() + 6) % 7; // Monday is 0
  const weeks = Math.ceil((told.days.length + shift) / 7);
  svg.setAttribute("viewBox", `0 0 ${LEFT + weeks * STEP + 2} ${TOP + 7 * STEP + 2}`);
  const names = DAYS.map((name, n) => el("text", { class: "hour", x: 0, y: TOP + n * STEP + 13 }, name));
  const parts = told.days.map((day, n) => {
    const date = new Date(first + n * DAY_MS).toISOString().slice(0, 10);
    const [week, weekday] = [Math.floor((n + shift) / 7), (n + shift) % 7];
    const [x, y] = [LEFT + week * STEP, TOP + weekday * STEP];
    const words = `${date}: on for ${(day.min / 60).toFixed(1)} h${day.why ? `, ${day.why}` : ""}`;
    const cell = el(
      "g",
      { class: `day-of-year ${day.why ? "own" : ""}` },
      el("title", {}, words),
      el("rect", { class: "ground", x, y, width: SIZE, height: SIZE }),
      el("rect", { class: "on", x, y, width: SIZE, height: SIZE, opacity: (0.9 * day.min) / FULL }),
    );
    if (pick && !day.why) cell.addEventListener("click", () => pick(date, ""));
    return cell;
  });
  const months = MONTHS.map((name, month) => {
    const n = (Date.UTC(told.year, month, 1) - first) / DAY_MS + shift;
    return el("text", { class: "hour", x: LEFT + Math.floor(n / 7) * STEP, y: 11 }, name);
  });
  redraw(svg, [...names, ...months, ...parts]);
}
