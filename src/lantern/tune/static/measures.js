// What a setting is judged by, as the server tells it: how much a value loses, and how it reads.
import { short } from "/static/js/svg.js";

const loss = (measure, value) =>
  value === null ? 0 : measure.better === "less" ? value - measure.ideal : measure.ideal - value;

// A function of all values for each measure that ends a stretch of a dial, the gravest first.
export const lossesOf = (measures) =>
  measures.flatMap((measure, at) => (measure.parts ? [(values) => loss(measure, values[at])] : []));

export const told = (measures, values) =>
  measures
    .map((measure, at) => [measure, values[at]])
    .filter(([, value]) => value !== null)
    .map(([measure, value]) => measure.form.replace("{}", short(value, 3)))
    .join(", ");
