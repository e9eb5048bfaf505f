// A pen that keys move, in the place of the pointer: what is drawn on a surface by pressing and dragging is drawn with
// the arrows and Enter. It is taken up where a tool is chosen by key, and the surface is told of it as of a pointer.
const STEP_PX = 2;
const FAR = 10; // steps at once, with Shift
const WAYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

// A pointer that is dragged stays with the surface; a pen's strokes are not the browser's to follow.
export const capture = (surface, event) => event.isTrusted && surface.setPointerCapture(event.pointerId);

// `drags`: is the present tool drawn by dragging? `words`: where a place of the surface is, in the words of its space.
export class Pen {
  constructor(surface, { drags, words }) {
    Object.assign(this, { surface, drags, words, at: null, down: false, pressed: "", from: null });
    this.mark = Object.assign(document.createElement("output"), { className: "pen", hidden: true });
    document.body.append(this.mark);
    this.listening = new AbortController();
    const { signal } = this.listening;
    surface.addEventListener("keydown", (event) => this.#key(event), { signal });
    surface.addEventListener("blur", () => this.#put(), { signal });
    for (const what of ["scroll", "resize"])
      addEventListener(what, () => this.at && this.#show(), { signal, capture: true });
  }

  close() {
    this.listening.abort();
    this.mark.remove();
  }

  // A tool was chosen, or put away.
  offer(tool) {
    const by = document.activeElement;
    if (!tool && this.at) {
      const held = by === this.surface;
      this.#put();
      if (held && this.from.isConnected) this.from.focus();
    } else if (tool && by?.matches("button:focus-visible")) {
      Object.assign(this, { from: by, at: [0.5, 0.5], down: false, pressed: "" });
      this.surface.tabIndex = 0;
      this.surface.focus();
      this.#show();
    }
  }

  #put() {
    this.at = null;
    this.mark.hidden = true;
  }

  #place() {
    const box = this.surface.getBoundingClientRect();
    return { clientX: box.left + this.at[0] * box.width, clientY: box.top + this.at[1] * box.height };
  }

  #show() {
    const place = this.#place();
    this.mark.hidden = false;
    Object.assign(this.mark.style, { left: `${place.clientX}px`, top: `${place.clientY}px` });
    this.mark.textContent = this.words(place);
  }

  #tell(what) {
    const stroke = new PointerEvent(what, { ...this.#place(), bubbles: true, button: 0, pointerType: "pen" });
    this.surface.dispatchEvent(stroke);
  }

  #key(event) {
    if (!this.at || event.ctrlKey || event.altKey || event.metaKey) return;
    if (WAYS[event.key]) this.#move(WAYS[event.key], STEP_PX * (event.shiftKey ? FAR : 1));
    else if (event.key === "Enter" || event.key === " ") this.#press();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  #move([dx, dy], px) {
    const box = this.surface.getBoundingClientRect();
    const held = (share) => Math.min(Math.max(share, 0), 1);
    this.at = [held(this.at[0] + (dx * px) / box.width), held(this.at[1] + (dy * px) / box.height)];
    this.#show();
    this.#tell("pointermove");
  }

  // Enter sets a corner; a second time on the same place ends the shape. What is dragged begins with one and ends with
  // the next.
  #press() {
    const again = this.pressed === this.at.join();
    this.pressed = this.at.join();
    if (this.drags()) {
      this.down = !this.down;
      if (!this.down) this.#tell("pointermove");
      this.#tell(this.down ? "pointerdown" : "pointerup");
      return;
    }
    this.#tell("pointerdown");
    if (!this.at) return;
    this.#tell("pointerup");
    if (again && this.at) this.surface.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
  }
}
