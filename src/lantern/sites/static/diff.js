// A site's file held against the running site: nothing of it is stored.
import { ask } from "/static/js/http.js";

const result = document.querySelector("[data-result]");
const trouble = document.querySelector("[data-trouble]");
const made = (tag, text, name = "") =>
  Object.assign(document.createElement(tag), { textContent: text, className: name });

function section(each, name) {
  const out = made("section", "", "sheet mb-2");
  const title = made("h2", `${each.object || "the site itself"} `);
  title.append(made("span", each.kind, "quiet"));
  const table = made("table", "", "ledger");
  const head = table.createTHead().insertRow();
  for (const text of ["", "the running site", name]) head.append(made("th", text));
  const body = table.createTBody();
  for (const part of each.parts) {
    const row = body.insertRow();
    row.append(made("td", part.at, "quiet"), made("td", part.first), made("td", part.second));
  }
  out.append(title, table);
  return out;
}

document.getElementById("other-file").addEventListener("change", async ({ target }) => {
  if (!target.files.length) return;
  const { name } = target.files[0];
  document.querySelector("[data-name]").textContent = name;
  trouble.hidden = true;
  try {
    const { objects } = await ask(
      "POST",
      `/diff?name=${encodeURIComponent(name)}`,
      await target.files[0].arrayBuffer(),
      { raw: true },
    );
    result.replaceChildren(
      ...(objects.length
        ? objects.map((each) => section(each, name))
        : [made("p", `The running site and ${name} are alike.`, "notice good")]),
    );
  } catch (error) {
    trouble.hidden = false;
    trouble.replaceChildren(...error.message.split("\n").map((line) => made("div", line)));
  }
  target.value = "";
});
