// What every page has: the light/dark switch, the temperature scale, the list of keys, digits for the stages.
import { ask, root } from "./http.js";

document.querySelector("[data-temperature-scale]")?.addEventListener("change", async (event) => {
  await ask("PUT", "~/me/scale", { scale: event.target.value });
  location.reload();
});

document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-scheme-switch]")) return;
  const root = document.documentElement;
  const dark = root.dataset.scheme
    ? root.dataset.scheme === "dark"
    : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.scheme = dark ? "light" : "dark";
  localStorage.setItem("lantern-scheme", root.dataset.scheme);
  dispatchEvent(new Event("schemechange"));
});

document.addEventListener("keydown", (event) => {
  if (document.querySelector("dialog[open]")) return; // whose closing may leave the focus in it for a moment
  if (event.target.closest("input, select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "?") document.getElementById("keys").showModal();
  const stages = document.querySelectorAll(".route a");
  const at = Number(event.key) - 1;
  if (at >= 0 && at < stages.length) location.href = stages[at].href;
});

// a menu closes when something else is wanted
document.addEventListener("click", (event) => {
  for (const menu of document.querySelectorAll("details.menu[open]"))
    if (!menu.contains(event.target)) menu.open = false;
});
document.addEventListener("keydown", (event) => {
  const menu = event.key === "Escape" && event.target.closest("details.menu[open]");
  if (!menu) return;
  menu.open = false;
  menu.querySelector("summary").focus();
});

// What an event had shown to those of a role: it takes no focus, and goes when somebody acknowledges it.
const EVERY_MS = 4000;

function drawn({ id, link, names }) {
  const one = document.createElement("div");
  one.className = "shown-one";
  const words = document.createElement("p");
  const head = document.createElement("b");
  head.textContent = [names.place, names.detector].filter(Boolean).join(": ") || link;
  const at = (names.time ?? "").slice(11, 19); // by the site's clock
  words.append(head, ` ${[names.region, names.object].filter(Boolean).join(" ")} at ${at}`);
  const button = document.createElement("button");
  button.type = "button";
  button.className = "btn btn-small";
  button.textContent = "Acknowledge";
  button.addEventListener("click", async () => {
    button.disabled = true;
    // Somebody else was quicker: it is gone all the same
    await ask("POST", `/shown/${id}/acknowledge`).catch(() => null);
    await lookForShown();
  });
  one.append(words, button);
  return one;
}

async function lookForShown() {
  const all = await ask("GET", "/shown.json").catch(() => null); // the next look comes soon
  const held = document.getElementById("shown");
  if (!all || !held) return;
  const ids = all.map(({ id }) => id).join(" ");
  if (held.dataset.ids === ids) return;
  held.dataset.ids = ids;
  held.replaceChildren(...all.slice(0, 3).map(drawn));
  if (all.length > 3) held.append(`and ${all.length - 3} more`);
}

if (root && document.getElementById("shown")) {
  lookForShown();
  setInterval(() => document.visibilityState === "visible" && lookForShown(), EVERY_MS);
}
