// What every page has: the light/dark switch, the temperature scale, the list of keys, digits for the stages.
import { ask } from "./http.js";

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
