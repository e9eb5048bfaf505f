// Forms that are sent as JSON: a field's name is its key ("address.host"), its `data-as` what it is; faults come back
// beside it.
import { off } from "./controls.js";
import { address, ask } from "./http.js";

const READ = {
  text: (field) => field.value,
  number: (field) =>
    field.value.trim() === "" ? null : Number.isFinite(Number(field.value)) ? Number(field.value) : field.value,
  truth: (field) => field.checked,
  flag: (field) => field.value === "yes",
  null: (field) => field.value.trim() || null,
};

function put(target, name, value) {
  const keys = name.split(".");
  let at = target;
  keys.slice(0, -1).forEach((key, n) => {
    at[key] ??= /^\d+$/.test(keys[n + 1]) ? [] : {};
    at = at[key];
  });
  at[keys.at(-1)] = value;
}

// What the form says, as a document. Rows that were taken out leave no hole.
export function read(form) {
  const out = {};
  for (const name of (form.dataset.lists ?? "").split(" ").filter(Boolean)) out[name] = [];
  for (const field of form.elements) {
    if (!field.name || field.closest("fieldset:disabled, [hidden]") || field.disabled) continue;
    const as = field.dataset.as ?? (field.type === "checkbox" ? "truth" : "text");
    put(out, field.name, READ[as](field));
  }
  return JSON.parse(JSON.stringify(out), (key, value) =>
    Array.isArray(value) ? value.filter((v) => v !== null) : value,
  );
}

export function tell(form, lines) {
  let notice = form.querySelector("[data-trouble]");
  if (!notice) {
    notice = document.createElement("div");
    notice.dataset.trouble = "";
    notice.className = "notice mt-2";
    notice.setAttribute("role", "alert");
    form.append(notice);
  }
  notice.replaceChildren(...lines.map((line) => Object.assign(document.createElement("div"), { textContent: line })));
  notice.hidden = !lines.length;
  if (lines.length) notice.scrollIntoView({ block: "nearest" });
}

const lines = (error) =>
  error.faults?.length ? error.faults.map((f) => `${f.where}: ${f.what}; expected ${f.expected}`) : [error.message];

// `~/sites/{id}/survey`: what the answer says in the place of the braces
const filled = (text, answer) => address(text.replace(/\{(\w+)\}/g, (_, key) => encodeURIComponent(answer[key])));

async function send(form) {
  const { send: method, to, then = "", sure } = form.dataset;
  if (sure && !confirm(sure)) return;
  const fields = read(form);
  const url = to.replace(/\{(\w+)\}/g, (_, key) => encodeURIComponent(fields[key] ?? ""));
  const button = form.querySelector("button:not([type=button])");
  tell(form, []);
  if (button) off(button, "It is being sent");
  try {
    const answer = await ask(method, url, method === "DELETE" ? undefined : fields);
    form.dispatchEvent(new CustomEvent("sent", { bubbles: true, detail: answer }));
    if (then === "stay") return;
    form.dataset.clean = "yes";
    if (then) location.href = filled(then, answer);
    else location.reload();
  } catch (error) {
    tell(form, lines(error));
  } finally {
    if (button) off(button, "");
  }
}

document.addEventListener("submit", (event) => {
  if (!event.target.matches("form[data-send]")) return;
  event.preventDefault();
  send(event.target);
});

// rows that are added and taken out: `<template data-row>` in a `[data-rows]`, its fields named "outputs.N.name"
let made = 1000;
document.addEventListener("click", (event) => {
  const add = event.target.closest("[data-add-row]");
  if (add) {
    const rows = document.getElementById(add.dataset.addRow);
    const fresh = rows.querySelector("template").content.cloneNode(true);
    made += 1;
    for (const field of fresh.querySelectorAll("[name], [id], [for], [data-when]")) {
      for (const key of ["name", "id", "for", "data-when"])
        if (field.hasAttribute(key))
          field.setAttribute(key, field.getAttribute(key).replace(/(^|[.-])N(?=[.=]|$)/, `$1${made}`));
    }
    const first = fresh.querySelector("input, select");
    rows.append(fresh);
    first?.focus();
  }
  event.target.closest("[data-drop-row]")?.closest("[data-row]").remove();
  const opens = event.target.closest("[data-opens]");
  if (opens) document.getElementById(opens.dataset.opens).showModal();
  event.target.closest("[data-closes]")?.closest("dialog").close();
});

// parts of a form that only some choices need: `data-when="kind=ONE OTHER"`
function choose(form) {
  for (const part of form.querySelectorAll("[data-when]")) {
    const [name, values] = part.dataset.when.split("=");
    part.hidden = !values.split(" ").includes(form.elements[name]?.value);
  }
}

document.addEventListener("change", (event) => event.target.form && choose(event.target.form));
for (const form of document.querySelectorAll("form")) choose(form);

// a file that is read here and sent as it is: `<input type="file" data-document="POST ~/sites/file">`
document.addEventListener("change", async (event) => {
  const field = event.target.closest("[data-document]");
  if (!field?.files.length) return;
  const form = field.closest("form");
  const [method, to] = field.dataset.document.split(" ");
  tell(form, []);
  const fields = read(form);
  try {
    const data = await field.files[0].arrayBuffer();
    const answer = await ask(
      method,
      to.replace(/\{(\w+)\}/g, (_, key) => encodeURIComponent(fields[key] ?? "")),
      data,
      { raw: true },
    );
    location.href = filled(form.dataset.then, answer);
  } catch (error) {
    tell(form, lines(error));
    field.value = "";
  }
});
