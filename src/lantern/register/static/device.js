// A device's page: the token that is shown once, and what was heard when it was tried.
import { off } from "/static/js/controls.js";
import { address, ask } from "/static/js/http.js";

const dialog = document.getElementById("token");

function tellToken(answer) {
  const on = address(`/devices/${answer.id}`);
  if (!answer.token) {
    location.href = on;
    return;
  }
  dialog.querySelector("[data-code]").textContent = answer.code;
  dialog.querySelector("[data-ingest]").textContent = answer.ingest;
  dialog.querySelector("[data-token]").textContent = answer.token;
  dialog.querySelector("[data-on]").href = on;
  dialog.showModal();
}

for (const form of document.querySelectorAll("[data-made]"))
  form.addEventListener("sent", (event) => tellToken(event.detail));

// a cure that the page shows, taken by its words
for (const button of document.querySelectorAll("[data-cure]"))
  button.addEventListener("click", async () => {
    off(button, "It is being taken");
    const number = location.pathname.split("/").pop();
    try {
      await ask("POST", `/devices/${number}/cures`, { kind: button.dataset.kind, text: button.dataset.text });
      location.reload();
    } catch (error) {
      alert(error.message);
      off(button, "");
    }
  });

// what a device of another type could not do is told before it is replaced
const replaces = document.querySelector("[data-replaces]");
replaces?.elements.type.addEventListener("change", async ({ target }) => {
  const told = replaces.querySelector("[data-cannot]");
  const button = replaces.querySelector("button");
  off(button, "Choose a type first");
  told.replaceChildren();
  if (!target.value) return;
  const query = `type=${encodeURIComponent(target.value)}`;
  const { cannot } = await ask("GET", `/devices/${replaces.dataset.replaces}/replacing?${query}`);
  const lines = cannot.length ? ["It cannot:", ...cannot] : ["It can all that this one does."];
  told.replaceChildren(...lines.map((line) => Object.assign(document.createElement("div"), { textContent: line })));
  told.className = `mt-1 notice${cannot.length ? "" : " good"}`;
  off(button, "");
});

// the inputs as the engine reads them, and the panel of the stand-in
const inputs = document.querySelector("[data-inputs]");
const WORDS = { idle: "idle", active: "active", fault: "fault", unknown: "not known" };
const SHAPES = { idle: "repeat", active: "false", fault: "caution", unknown: "none" };

function showInputs(state) {
  const module = state.modules.find((each) => String(each.id) === inputs.dataset.inputs);
  inputs.querySelector("[data-silent]").textContent = module?.error ?? "";
  for (const one of module?.inputs ?? []) {
    const line = [...inputs.querySelectorAll("[data-input]")].find((each) => each.dataset.input === one.name);
    if (!line || line.dataset.now === `${one.state} ${one.told}`) continue;
    line.dataset.now = `${one.state} ${one.told}`;
    line.dataset.at = one.state;
    line.querySelector("[data-state]").textContent = `${WORDS[one.state]}, ${one.told}`;
    line
      .querySelector("[data-glyph]")
      .replaceChildren(document.getElementById(`shape-${SHAPES[one.state]}`).content.cloneNode(true));
  }
}

if (inputs) {
  const source = new EventSource(address(`/devices/${inputs.dataset.inputs}/stream`));
  source.addEventListener("state", (event) => showInputs(JSON.parse(event.data)));
  source.addEventListener("silent", (event) => {
    inputs.querySelector("[data-silent]").textContent = event.data;
  });
  source.addEventListener("ended", () => {
    source.close();
    location.reload();
  });
  for (const button of inputs.querySelectorAll("[data-press]"))
    button.addEventListener("click", () => ask("POST", button.dataset.press).catch((error) => alert(error.message)));
}

const heard = document.querySelector("[data-heard]");
const section = heard?.closest("[data-device]");

function say(ok, lines) {
  heard.hidden = false;
  heard.classList.toggle("good", ok);
  heard.replaceChildren(...lines.map((line) => Object.assign(document.createElement("div"), { textContent: line })));
}

section?.querySelector("[data-keep-password]")?.addEventListener("click", async () => {
  const field = section.querySelector("[data-password]");
  try {
    await ask("PUT", `/devices/${section.dataset.device}/password`, { password: field.value });
    field.placeholder = field.value ? "kept, sealed" : "none yet";
    field.value = "";
    heard.hidden = true;
  } catch (error) {
    say(false, [error.message]);
  }
});
section?.querySelector("[data-try]")?.addEventListener("click", async (event) => {
  const button = event.target;
  off(button, "It is being tried");
  say(true, ["Listening ..."]);
  try {
    const answer = await ask("POST", `/devices/${section.dataset.device}/try`);
    say(answer.ok, answer.lines);
  } catch (error) {
    say(false, [error.message]);
  } finally {
    off(button, "");
  }
});

section?.querySelector("[data-renew]")?.addEventListener("click", async () => {
  if (!confirm("Make a new token? The old one is worth nothing from then on.")) return;
  try {
    tellToken(await ask("POST", `/devices/${section.dataset.device}/token`));
  } catch (error) {
    say(false, [error.message]);
  }
});

// a new device: a type is of one kind, and a kind has its types
const [type, kind] = ["type", "kind"].map((id) => document.getElementById(id));
if (kind?.tagName === "SELECT") {
  const offer = () => {
    for (const option of type.options) {
      option.hidden = Boolean(option.dataset.kind) && option.dataset.kind !== kind.value;
    }
    if (type.selectedOptions[0].hidden) type.value = "";
  };
  kind.addEventListener("change", offer);
  offer();
}
