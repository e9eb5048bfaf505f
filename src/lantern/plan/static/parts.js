// Small parts of pages that are made by scripts, and numbers as they are read and typed.
import { numberOf } from "/static/js/units.js";

export const html = (tag, name = "", ...inner) => {
  const made = document.createElement(tag);
  if (name) made.className = name;
  made.append(...inner.flat().filter((each) => each !== null && each !== undefined));
  return made;
};

export const button = (name, text, work) => {
  const made = html("button", name, text);
  made.type = "button";
  made.addEventListener("click", work);
  return made;
};

export const shape = (name) => document.getElementById(`shape-${name}`).content.cloneNode(true);

export const short = (value, digits = 1) =>
  value === null || value === undefined
    ? "none"
    : Number(value.toFixed(Math.abs(value) >= 100 ? 0 : digits)).toString();
export const typed = (value) => (value === null || value === undefined ? "" : String(Math.round(value * 1e6) / 1e6));
export const withUnit = (value, unit, digits = 1) => `${short(value, digits)}${unit === "°" ? "" : " "}${unit}`;

// What a field says is put once the focus has moved on, for what is put draws the fields anew.
const then = (work, ...values) => setTimeout(() => work(...values));

const PRESS_MS = 300; // the button that is pressed on leaving a field must not be drawn anew under the press

// Draw a part anew, with the focus on the same field as before and the same of it selected. While somebody types in a
// field of it, it waits until the field is left: what is typed must not be lost.
export function keepingFocus(part, draw) {
  const held = part.contains(document.activeElement) ? document.activeElement : null;
  const field = held?.matches("input:not([type])") ? held : null;
  if (field && field.value !== field.defaultValue) {
    part.drawLater = draw;
    field.onblur = () =>
      setTimeout(() => {
        if (part.drawLater) keepingFocus(part, part.drawLater);
      }, PRESS_MS);
    return;
  }
  const label = held?.getAttribute("aria-label");
  const selected = field ? [field.selectionStart, field.selectionEnd] : null;
  part.drawLater = null;
  draw();
  const alike = (one) => one.tagName === held?.tagName && one.textContent === held.textContent;
  const anew = label
    ? part.querySelector(`[aria-label="${CSS.escape(label)}"]`)
    : held?.matches("button, summary")
      ? [...part.querySelectorAll("button, summary")].find(alike)
      : null;
  anew?.focus();
  if (selected && anew) anew.setSelectionRange(...selected);
}

// A part that is opened and closed, and stays so when the page is drawn anew. `at`: how it is at first.
const folds = new Map();
export function fold(key, title, inner, at = false) {
  const part = html("details", "more", html("summary", "", title), inner);
  part.open = folds.get(key) ?? at;
  part.querySelector("summary").addEventListener("click", () => folds.set(key, !part.open));
  return part;
}

// A field for a number. `put` is told it; null where it was emptied and may be.
export function numberInput({ label, value, optional = false, disabled = false, hint = "" }, put) {
  const input = html("input", "form-control num-input");
  Object.assign(input, { defaultValue: typed(value), inputMode: "decimal", disabled, placeholder: hint });
  input.setAttribute("aria-label", label);
  input.addEventListener("change", () => {
    const number = numberOf(input.value);
    const meant = number === null ? optional : Number.isFinite(number);
    if (!meant) input.value = typed(value);
    input.defaultValue = input.value;
    if (meant && input.value.trim() !== typed(value)) then(put, number);
  });
  return input;
}

// A line with a label, a field for a number, and its unit.
export function numberField({ label, unit = "", ...rest }, put) {
  return html(
    "label",
    "mount-field",
    html("span", "", label),
    numberInput({ label, ...rest }, put),
    html("span", "quiet", unit),
  );
}

export function textField(label, value, put, { disabled = false, hint = "" } = {}) {
  const input = html("input", "form-control text-input");
  Object.assign(input, { defaultValue: value ?? "", disabled, placeholder: hint, maxLength: 400 });
  input.setAttribute("aria-label", label);
  input.addEventListener("change", () => {
    input.defaultValue = input.value;
    then(put, input.value.trim());
  });
  return html("label", "mount-field wide", html("span", "", label), input);
}

// `options`: words, or [value, words].
export function choiceField(label, value, options, put, { disabled = false } = {}) {
  const select = html(
    "select",
    "form-select text-input",
    options.map((each) => {
      const [held, words] = Array.isArray(each) ? each : [each, each];
      const option = html("option", "", words);
      option.value = held;
      option.selected = held === value;
      return option;
    }),
  );
  select.disabled = disabled;
  select.setAttribute("aria-label", label);
  select.addEventListener("change", () => then(put, select.value));
  return html("label", "mount-field wide", html("span", "", label), select);
}
