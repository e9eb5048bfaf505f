// One rule for taking back, on every page that can: u or Ctrl+Z takes back; r, Ctrl+Y or Ctrl+Shift+Z does it again.
// In a
// field that is typed in, the browser's own holds.
export function stepOf(event) {
  if (event.altKey || event.target.closest("input, textarea, select, dialog")) return "";
  const key = event.key.toLowerCase();
  if (event.ctrlKey || event.metaKey) {
    if (key === "z") return event.shiftKey ? "redo" : "undo";
    return key === "y" ? "redo" : "";
  }
  return { u: "undo", r: "redo" }[event.key] ?? "";
}
