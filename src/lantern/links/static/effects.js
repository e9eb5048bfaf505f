// What is asked of an effect, on the page of one cause's links and on the sheet of all: each sort says which parts it
// has, and what of the site may be chosen for it.
const BUSY = ["drop", "wait", "replace"];
const SWITCH = [
  { key: "mode", label: "", of: "mode", unit: "", kind: "" },
  { key: "length_s", label: "for", of: "number", unit: "s", kind: "" },
  { key: "flash_hz", label: "flashes", of: "number", unit: "/s", kind: "" },
  { key: "priority", label: "priority", of: "number", unit: "", kind: "" },
  { key: "expire_s", label: "dropped after", of: "number", unit: "s", kind: "" },
];

export function number(text) {
  const value = Number(text);
  return String(text).trim() === "" || !Number.isFinite(value) ? text : value;
}

// The parts of an effect as fields: what may be chosen, and how wide each is.
export function askedOf(effect, { key, label, of, unit, kind }, data) {
  const devices = data.devices.filter((d) => !kind || d.kind === kind).map((d) => d.code);
  const lists = { devices, device: devices, message: data.messages, roles: data.roles, busy: BUSY };
  const choices = of === "mode" ? ["pulse", "latched"] : (lists[of] ?? []);
  const value = effect[key] ?? (key === "priority" ? 5 : "");
  const is_choice = ["device", "message", "busy", "mode"].includes(of);
  const known = is_choice && value !== "" && !choices.includes(value) ? [...choices, value] : choices;
  return {
    key,
    label,
    of,
    unit,
    is_choice,
    choices: is_choice && !known.includes(value) ? ["", ...known] : known,
    is_many: ["devices", "roles"].includes(of),
    is_yes: of === "yes",
    is_lines: of === "lines",
    is_typed: ["number", "text", "words", "preset"].includes(of),
    width: of === "number" || of === "preset" ? "num-input" : "text-input",
    value: of === "words" ? value.join(", ") : value,
  };
}

// The same for an output, which has a table of its own on the page of one cause.
export function askedOfSwitch(effect, data) {
  const output = data.outputs.find((each) => each.name === effect.output);
  return SWITCH.filter(
    ({ key }) => (key !== "flash_hz" || output?.flashes) && (key !== "length_s" || effect.mode === "pulse"),
  ).map((asked) => askedOf(effect, asked, data));
}

// What was typed or chosen, as the effect has it.
export function given(of, value) {
  if (of === "words") {
    return value
      .split(/[,;\s]+/)
      .map((word) => word.trim())
      .filter(Boolean);
  }
  return ["number", "preset"].includes(of) ? number(value) : value;
}

// What a new effect of a sort begins with, on this site.
export function begun(sort, data) {
  const begins = structuredClone(sort.begins);
  for (const { key, of, kind } of sort.asked)
    if (of === "device") begins[key] = data.devices.find((d) => !kind || d.kind === kind)?.code ?? "";
    else if (of === "devices") begins[key] = data.devices.filter((d) => kind && d.kind === kind).map((d) => d.code);
    else if (of === "message") begins[key] = data.messages[0] ?? "";
  return { do: sort.do, ...begins };
}
