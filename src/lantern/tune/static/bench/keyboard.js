// The keys of a bench: each part brings its own.
import { stepOf } from "/static/js/undo.js";

const TYPED = "input:not([type=checkbox]), select, textarea, dialog";

export const keyboard = ({ keys }) => ({
  key(event) {
    const step = { undo: "u", redo: "r" }[stepOf(event)];
    if (event.target.closest(TYPED) || ((event.ctrlKey || event.metaKey || event.altKey) && !step)) return;
    if (this.holdsKeys(event)) return;
    const work = keys[step ?? event.key];
    const pressed = event.key === " " && event.target.closest("button, a, summary");
    if (!work || pressed || (event.key.startsWith("Arrow") && event.target.closest("[role=tab]"))) return;
    event.preventDefault();
    work(this, event.shiftKey ? 10 : 1);
  },
});
