// Hours by the sun, as a timetable is edited: from so long before or after it rises or sets until it does another time.
import { numberOf } from "/static/js/units.js";
import { stretches, stretchText } from "./year.js";

const WEEK = [0, 1, 2, 3, 4, 5, 6];
const EVENTS = ["sunset", "sunrise"];

export const sun = () => ({
  sunEvents: EVENTS,
  week: WEEK,

  get sunHours() {
    return this.edited.sun ?? [];
  },
  addSun() {
    const one = { days: [...WEEK], start: "sunset", start_min: 0, end: "sunrise", end_min: 0, fallback: null };
    this.change(() => {
      this.edited.sun = [...this.sunHours, one];
    });
  },
  setSun(index, part) {
    this.change(() => {
      this.edited.sun = this.sunHours.map((each, at) => (at === index ? { ...each, ...part } : each));
    });
  },
  removeSun(index) {
    this.change(() => {
      this.edited.sun = this.sunHours.filter((_, at) => at !== index);
    });
  },
  // So many minutes, before or after: one number with a sign.
  sunOff(each, key) {
    return String(Math.abs(each[key]));
  },
  isSunBefore(each, key) {
    return each[key] < 0;
  },
  setSunOff(index, key, text, isBefore) {
    this.change(() => {
      const minutes = numberOf(text);
      if (minutes === null || minutes < 0) throw new Error(`${text}: expected so many minutes, before or after`);
      this.setSun(index, { [key]: isBefore ? -minutes : minutes });
    });
  },
  turnSunOff(index, key, isBefore) {
    const minutes = Math.abs(this.sunHours[index][key]);
    this.setSun(index, { [key]: isBefore ? -minutes : minutes });
  },
  hasSunDay(each, day) {
    return each.days.includes(day);
  },
  turnSunDay(index, day) {
    const { days } = this.sunHours[index];
    const next = days.includes(day) ? days.filter((other) => other !== day) : [...days, day].sort();
    if (next.length) this.setSun(index, { days: next });
  },
  sunFallback({ fallback }) {
    return fallback ? stretchText([fallback]) : "";
  },
  setSunFallback(index, text) {
    this.change(() => {
      const found = stretches(text);
      if (found.length > 1) throw new Error(`${text}: one stretch, or nothing`);
      this.setSun(index, { fallback: found[0] ?? null });
    });
  },
  sunToday(index) {
    const found = this.ofYear?.sun?.[index];
    return found ? `today ${found}` : "";
  },
});
