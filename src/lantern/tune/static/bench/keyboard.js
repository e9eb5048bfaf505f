// The keys of a bench: each part brings its own.
const TYPED = "input:not([type=checkbox]), select, textarea, dialog";

export const keyboard = ({ keys }) => ({
  key(event) {
    if (event.target.closest(TYPED) || event.ctrlKey || event.metaKey || event.altKey) return;
    if (this.holdsKeys(event)) return;
    const work = keys[event.key];
    const pressed = event.key === " " && event.target.closest("button, a, summary");
    if (!work || pressed || (event.key.startsWith("Arrow") && event.target.closest("[role=tab]"))) return;
    event.preventDefault();
    work(this, event.shiftKey ? 10 : 1);
  },
});
