// Findings of the preflight: what is shown of them is chosen here; what is found, accepted and mended is the server's.
import { address, ask, pageData } from "/static/js/http.js";
import { plainPlan } from "/static/js/plain_plan.js";
import { may } from "/static/js/roles.js";
import { el, redraw } from "/static/js/svg.js";

const GRAVITIES = [
  ["error", "error", "errors"],
  ["warning", "warning", "warnings"],
  ["note", "note", "notes"],
  ["accepted", "accepted", "accepted"],
];
const SHAPES = {
  error: "M-5-5 5 5M5-5-5 5",
  warning: "M0-6 6 5H-6Z",
  note: "M0-3.2A3.2 3.2 0 1 1 0 3.2 3.2 3.2 0 1 1 0-3.2Z",
  accepted: "M-6 0-2 4 6-5",
};
const THING = /(\w+(?:\.\w+)?)\[([^\]]*)\](\.duty)?$/;
const many = (count, one, more) => `${count} ${count === 1 ? one : more}`;
const gravityOf = (f) => (f.accepted ? "accepted" : f.severity);
const clock = (s) => new Date(s * 1000).toLocaleString([], { dateStyle: "medium", timeStyle: "short" });

document.addEventListener("alpine:init", () => {
  window.Alpine.data("preflight", () => {
    const data = pageData();
    let plan = data.plan;
    return {
      found: data.findings,
      places: data.places,
      stands: data.stands,
      seen: data.seen,
      shown: { error: true, warning: true, note: false, accepted: false },
      order: "gravity",
      text: "",
      code: null,
      asked: null,
      because: "",
      trouble: "",
      done: null,

      async init() {
        plan = await ask("GET", "/plan.json");
        this.draw();
        addEventListener("resize", () => this.draw());
      },
      become(answer) {
        [this.found, this.places, this.stands, this.seen] = [
          answer.findings,
          answer.places,
          answer.stands,
          answer.seen,
        ];
        this.draw();
      },
      // Whatever is done answers with all that is found after it.
      async send(path, body) {
        try {
          this.trouble = "";
          const answer = await ask("POST", `/preflight/${path}`, body);
          this.become(answer);
          return answer;
        } catch (error) {
          this.trouble = error.message;
          return null;
        }
      },

      // ---- what is shown ----

      get counts() {
        const out = { error: 0, warning: 0, note: 0, accepted: 0 };
        for (const each of this.found) out[gravityOf(each)] += 1;
        return out;
      },
      get gravities() {
        return GRAVITIES.map(([key, one, more]) => ({
          key,
          count: this.counts[key],
          word: this.counts[key] === 1 ? one : more,
          on: this.shown[key] ? "true" : "false",
          class: this.shown[key] ? `on ${key}` : key,
        }));
      },
      get headText() {
        const { error, warning, note } = this.counts;
        const counted = [
          many(error, "error", "errors"),
          many(warning, "warning", "warnings"),
          many(note, "note", "notes"),
        ];
        return counted.join(", ");
      },
      get fresh() {
        return this.found.filter((each) => each.fresh).length;
      },
      get offersSeen() {
        return this.seen === null || this.fresh > 0;
      },
      get freshText() {
        if (this.seen === null) return "you have not been here yet";
        return this.fresh ? `${this.fresh} new since ${clock(this.seen)}` : `nothing new since ${clock(this.seen)}`;
      },
      get sifted() {
        const words = this.text.toLowerCase();
        return this.found.filter(
          (f) =>
            this.shown[gravityOf(f)] &&
            (!this.code || f.code === this.code) &&
            (!words || `${f.what} ${f.at} ${f.why} ${f.remedy}`.toLowerCase().includes(words)),
        );
      },
      get nothing() {
        return this.sifted.length === 0;
      },
      get nothingText() {
        return this.found.length ? "Nothing of what is chosen above." : "Nothing found: go on and rehearse it.";
      },
      get codeText() {
        return `only ${this.code}: show all`;
      },
      // By gravity: what one rule found stands together, and why it matters is said once.
      get groups() {
        const found = this.sifted;
        const groups =
          this.order === "place"
            ? this.places.map((place) => [place, found.filter((f) => f.place === place)])
            : GRAVITIES.map(([key, , more]) => [
                more[0].toUpperCase() + more.slice(1),
                found.filter((f) => gravityOf(f) === key).sort((a, b) => this.rank(a) - this.rank(b)),
              ]);
        return groups
          .filter(([, own]) => own.length)
          .map(([title, own]) => ({
            title,
            counted: String(own.length),
            found: own.map((f, n) => ({ ...this.line(f), saysWhy: n === 0 || own[n - 1].rule !== f.rule })),
          }));
      },
      rank(f) {
        return this.found.findIndex((other) => other.rule === f.rule);
      },
      get byGravity() {
        return this.order === "gravity" ? "on" : "";
      },
      get byPlace() {
        return this.order === "place" ? "on" : "";
      },
      get pressedGravity() {
        return String(this.order === "gravity");
      },
      get pressedPlace() {
        return String(this.order === "place");
      },
      sortBy(order) {
        this.order = order;
      },
      line(f) {
        const gravity = gravityOf(f);
        const key = `${f.rule} ${f.at} ${f.what}`;
        const isAccepted = f.accepted !== null;
        const engineer = may("engineer");
        return {
          ...f,
          key,
          class: f.fresh ? `${gravity} fresh` : gravity,
          shape: SHAPES[gravity],
          href: address(f.to),
          thing: this.thing(f),
          isAccepted,
          acceptedText: isAccepted ? `Accepted by ${f.accepted.by}, ${f.accepted.on}: ${f.accepted.because}` : "",
          canMend: Boolean(f.fix) && !isAccepted && engineer,
          canAccept: !isAccepted && this.asked !== key && engineer,
          asking: this.asked === key,
          inputId: `because-${this.found.indexOf(f)}`,
        };
      },
      thing(f) {
        const named = THING.exec(f.at);
        if (!named) return "Site";
        return f.code && f.code !== named[2] ? `${f.code} ${named[2]}` : named[2];
      },
      toggle(key) {
        this.shown = { ...this.shown, [key]: !this.shown[key] };
      },
      pick(code) {
        this.code = code;
        this.draw();
      },
      print() {
        window.print();
      },

      // ---- what is done ----

      ask(f) {
        this.asked = f ? f.key : null;
        this.because = "";
        if (f) this.$nextTick(() => document.getElementById(f.inputId)?.focus());
      },
      async accept(f) {
        const answer = await this.send("accept", { rule: f.rule, at: f.at, because: this.because });
        if (answer) this.asked = null;
      },
      takeBack(f) {
        return this.send("take-back", { rule: f.rule, at: f.at });
      },
      async mend(f) {
        const answer = await this.send("mend", { rule: f.rule, at: f.at });
        if (answer) this.done = { ...answer.done, what: f.what };
      },
      get doneText() {
        return this.done ? `Done: ${this.done.label}.` : "";
      },
      async undo() {
        const { revision_id, number } = this.done;
        if (await this.send("undo", { revision_id, number })) this.done = null;
      },
      seeAll() {
        return this.send("seen", {});
      },

      // ---- the plan ----

      draw() {
        const svg = this.$refs.plan;
        const { at, parts, unit } = plainPlan(svg, plan);
        for (const [code, ...place] of this.stands) {
          const open = this.found.filter((f) => f.code === code && !f.accepted && f.severity !== "note");
          const gravest = open.some((f) => f.severity === "error") ? "error" : open.length ? "warning" : "clear";
          const [x, y] = at(place);
          const r = (open.length ? 8 : 3.5) * unit;
          const mark = el(
            "g",
            { class: `stands ${gravest}${code === this.code ? " chosen" : ""}`, "data-code": code },
            el("circle", { cx: x, cy: y, r }),
            open.length
              ? el("text", { x, y: y + 4 * unit, "font-size": 11 * unit, "text-anchor": "middle" }, open.length)
              : null,
            el("title", {}, `${code}: ${many(open.length, "finding", "findings")}`),
          );
          mark.addEventListener("click", () => this.pick(code === this.code ? null : code));
          parts.push(mark);
          parts.push(el("text", { class: "code", x: x + r + 2 * unit, y: y + 4 * unit, "font-size": 10 * unit }, code));
        }
        redraw(svg, parts);
      },
    };
  });
});
