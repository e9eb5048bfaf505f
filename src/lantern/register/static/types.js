// The register of device types: added, changed and deleted as JSON.
import { ask, pageData } from "/static/js/http.js";

const data = pageData();
const dialog = document.getElementById("type-dialog");
const text = dialog.querySelector("textarea");
const why = dialog.querySelector("input");
const faults = dialog.querySelector("[data-faults]");
const told = document.querySelector("[data-told]");
let editing = null;

function say(where, error) {
  where.hidden = false;
  where.replaceChildren(
    ...error.message.split("\n").map((line) => Object.assign(document.createElement("div"), { textContent: line })),
  );
}

function open(id, body) {
  editing = id;
  faults.hidden = true;
  why.value = "";
  text.value = JSON.stringify(body, null, 2);
  dialog.showModal();
}

async function save(id, body, reason) {
  const query = reason ? `reason=${encodeURIComponent(reason)}` : "";
  if (id === null) await ask("POST", `/types?${query}`, body);
  else await ask("PUT", `/types/${id}?base=${data.own[id].revision}&${query}`, body);
  location.reload();
}

document.addEventListener("click", async ({ target }) => {
  if (target.closest("[data-new-type]")) open(null, data.example);
  const edit = target.closest("[data-edit-type]");
  if (edit) open(Number(edit.dataset.editType), data.own[edit.dataset.editType].body);
  const copy = target.closest("[data-copy-type]");
  if (copy) {
    const body = await ask("GET", `/types/file?name=${encodeURIComponent(copy.dataset.copyType)}`);
    open(null, { ...body, name: `${body.name}, ours` });
  }
  const drop = target.closest("[data-drop-type]");
  if (drop && confirm("Delete this type?")) {
    const id = drop.dataset.dropType;
    try {
      await ask("DELETE", `/types/${id}?base=${data.own[id].revision}`);
      location.reload();
    } catch (error) {
      say(told, error);
    }
  }
  if (target.closest("[data-save-type]")) {
    let body;
    try {
      body = JSON.parse(text.value);
    } catch (error) {
      say(faults, { message: `This is no JSON: ${error.message}` });
      return;
    }
    try {
      await save(editing, body, why.value);
    } catch (error) {
      say(faults, error);
    }
  }
});

document.getElementById("type-file")?.addEventListener("change", async ({ target }) => {
  if (!target.files.length) return;
  try {
    await save(null, JSON.parse(await target.files[0].text()), "");
  } catch (error) {
    say(told, error);
  }
  target.value = "";
});
