// A device's page: the token that is shown once, and what was heard when it was tried.
import { address, ask } from "./http.js";

const dialog = document.getElementById("token");

function tellToken(answer) {
  const on = address(`/devices/${answer.id}`);
  if (!answer.token) { location.href = on; return; }
  dialog.querySelector("[data-code]").textContent = answer.code;
  dialog.querySelector("[data-ingest]").textContent = answer.ingest;
  dialog.querySelector("[data-token]").textContent = answer.token;
  dialog.querySelector("[data-on]").href = on;
  dialog.showModal();
}

document.querySelector("[data-made]")?.addEventListener("sent", (event) => tellToken(event.detail));

const section = document.querySelector("[data-device]");
const heard = section?.querySelector("[data-heard]");

function say(ok, lines) {
  heard.hidden = false;
  heard.classList.toggle("good", ok);
  heard.replaceChildren(...lines.map((line) => Object.assign(document.createElement("div"), { textContent: line })));
}

section?.querySelector("[data-try]").addEventListener("click", async (event) => {
  const button = event.target;
  button.disabled = true;
  say(true, ["Listening ..."]);
  try {
    const answer = await ask("POST", `/devices/${section.dataset.device}/try`);
    say(answer.ok, answer.lines);
  } catch (error) {
    say(false, [error.message]);
  } finally {
    button.disabled = false;
  }
});

section?.querySelector("[data-renew]")?.addEventListener("click", async () => {
  if (!confirm("Make a new token? The old one is worth nothing from then on.")) return;
  try { tellToken(await ask("POST", `/devices/${section.dataset.device}/token`)); } catch (error) { say(false,
    [error.message]); }
});
