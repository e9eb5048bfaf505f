// Compounds as sentences: what is built is judged by the server over the takes of its parts; nothing is worked out
// here.
import { address, ask, latest, pageData } from "/static/js/http.js";
import { may } from "/static/js/roles.js";
import { el, redraw, ticks } from "/static/js/svg.js";

const KINDS = [
  ["any", "any of these"],
  ["all", "all of these, within a time"],
  ["sequence", "these, one after the other"],
  ["unless", "the first, and none of the others"],
];
const TITLES = { within_s: "within", quiet_s: "quiet for", wait_s: "after waiting", rearm_s: "re-armed after" };
const FRESH = { name: "", text: "", length_s: "4", hertz: "880" };
const WIDTH = 1000;
const [LEFT, LANE, TOP] = [170, 18, 14];
const copy = (value) => JSON.parse(JSON.stringify(value));
const short = (s) => (s >= 5400 ? `${+(s / 3600).toFixed(1)} h` : s >= 100 ? `${+(s / 60).toFixed(1)} min` : `${s} s`);
const nameOf = (part) => part.detector ?? part.input ?? part.compound ?? "";
const keyOf = (part) => `${part.detector ? "detector" : part.input ? "input" : "compound"} ${nameOf(part)}`;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("compounds", () => {
    const data = pageData();
    const newest = latest(async (page) => {
      try {
        const { id, revision, links, ...document } = page.draft;
        page.judged = await ask("POST", "/compounds/judge", document);
        page.trouble = "";
      } catch (error) {
        page.judged = null;
        page.trouble = error.message;
      }
      page.draw();
    });
    const all = Object.entries(data.causes).flatMap(([what, some]) => some.map((each) => ({ what, ...each })));
    return {
      compounds: data.compounds,
      timetables: data.timetables,
      messages: data.messages,
      message: { ...FRESH },
      hasVoice: data.hasVoice,
      kinds: KINDS,
      draft: null,
      kept: "",
      judged: null,
      why: "",
      trouble: "",
      told: "",

      init() {
        const first = this.compounds.find((c) => c.id === data.chosen) ?? this.compounds[0];
        if (first) this.take(first);
        addEventListener("resize", () => this.draw());
        addEventListener("beforeunload", (event) => {
          if (this.changed && may("engineer")) event.preventDefault();
        });
      },

      // ---- what is built ----

      take(compound) {
        if (this.changed && !window.confirm(`Leave the changes of ${this.draft.name}?`)) return;
        this.draft = copy(compound);
        this.kept = JSON.stringify(this.draft);
        this.told = "";
        newest(this);
      },
      begin() {
        const names = new Set(this.compounds.map((c) => c.name));
        let number = 1;
        while (names.has(`Compound ${number}`)) number += 1;
        const [one, other] = all;
        if (!one) {
          this.trouble = "There is no detector and no input yet that it could be made of.";
          return;
        }
        const parts = [one, other ?? one].map(({ what, name }) => ({ [what]: name }));
        this.draft = { name: `Compound ${number}`, kind: "unless", parts, wait_s: 0, quiet_s: 5, rearm_s: 0 };
        this.kept = "";
        newest(this);
      },
      set(part) {
        this.draft = { ...copy(this.draft), ...part };
        this.told = "";
        newest(this);
      },
      setKind(kind) {
        const next = { kind, within_s: 0, quiet_s: 0, wait_s: 0 };
        if (kind === "all" || kind === "sequence") next.within_s = this.draft.within_s || 30;
        if (kind === "unless") next.quiet_s = 5;
        this.set(next);
      },
      setNumber(key, text) {
        const value = Number(text);
        this.set({ [key]: text.trim() === "" || !Number.isFinite(value) ? text : value });
      },
      setPart(n, key) {
        const [what, ...name] = key.split(" ");
        const parts = copy(this.draft.parts);
        parts[n] = { [what]: name.join(" ") };
        this.set({ parts });
      },
      setRegion(n, region) {
        const parts = copy(this.draft.parts);
        delete parts[n].region;
        delete parts[n].state;
        if (region) parts[n][parts[n].input ? "state" : "region"] = region;
        this.set({ parts });
      },
      addPart() {
        const { what, name } = all.find((each) => !this.draft.parts.some((p) => nameOf(p) === each.name)) ?? all[0];
        this.set({ parts: [...this.draft.parts, { [what]: name }] });
      },
      dropPart(n) {
        this.set({ parts: this.draft.parts.filter((_, other) => other !== n) });
      },
      get changed() {
        return this.draft !== null && JSON.stringify(this.draft) !== this.kept;
      },
      get nothing() {
        return this.compounds.length === 0;
      },
      get parts() {
        const word = (n) => (n === 0 ? "when" : ({ unless: "and not", sequence: "then" }[this.draft.kind] ?? "and"));
        return this.draft.parts.map((part, n) => {
          const own = all.find((each) => `${each.what} ${each.name}` === keyOf(part));
          return {
            word: this.draft.kind === "any" && n > 0 ? "or" : word(n),
            label: `Part ${n + 1}`,
            regionLabel: `Region of part ${n + 1}`,
            key: keyOf(part),
            choices: all
              .filter((each) => each.name !== this.draft.name)
              .map(({ what, name }) => ({
                key: `${what} ${name}`,
                words: what === "detector" ? name : `${name} (${what})`,
              })),
            regions: own?.regions ?? [],
            region: part.region ?? part.state ?? "",
            mayGo: this.draft.parts.length > 1 && may("engineer"),
          };
        });
      },
      get numbers() {
        return [...data.numbers[this.draft.kind], "rearm_s"].map((key) => ({
          key,
          title: TITLES[key],
          value: this.draft[key] ?? 0,
        }));
      },
      get sentence() {
        const { kind, parts, within_s, wait_s, quiet_s } = this.draft;
        const [first, ...others] = parts.map((part) => {
          const where = part.region ?? part.state;
          return where ? `${nameOf(part)} (${where})` : nameOf(part);
        });
        if (kind === "any") return `${[first, ...others].join(", or ")}.`;
        if (kind === "all") return `${[first, ...others].join(" and ")}, all within ${within_s} s.`;
        if (kind === "sequence")
          return `${[first, ...others].join(", then ")}, within ${within_s} s from first to last.`;
        const wait = wait_s ? `, asked after ${wait_s} s` : "";
        const quiet = quiet_s ? `, which was quiet for ${quiet_s} s` : "";
        return `${first}, and not ${others.join(" nor ")}${quiet}${wait}.`;
      },
      chosenClass(c) {
        return this.draft && c.id === this.draft.id ? "btn-main" : "";
      },
      get linksHref() {
        return address(`/compound-links/${this.draft.id}`);
      },
      get linksText() {
        const count = (this.draft.links ?? []).length;
        return count ? `${count} ${count === 1 ? "link" : "links"}` : "Tie it to something";
      },
      get saveTitle() {
        return this.changed ? "" : "Nothing is changed";
      },
      async save() {
        await this.attempt(async () => {
          const { id, revision, links, ...document } = this.draft;
          const saved = id
            ? await ask("PUT", `/compounds/${id}?base=${revision}&reason=${encodeURIComponent(this.why)}`, document)
            : await ask("POST", "/compounds", document);
          this.compounds = id ? this.compounds.map((c) => (c.id === id ? saved : c)) : [...this.compounds, saved];
          this.draft = copy(saved);
          this.kept = JSON.stringify(this.draft);
          this.why = "";
          this.told = `Saved ${saved.name}. The live engine takes it up within a second.`;
        });
      },
      async remove() {
        await this.attempt(async () => {
          const { id, revision, name } = this.draft;
          await ask("DELETE", `/compounds/${id}?base=${revision}`);
          this.compounds = this.compounds.filter((c) => c.id !== id);
          this.draft = this.judged = null;
          if (this.compounds.length) this.take(this.compounds[0]);
          this.told = `Deleted ${name}.`;
        });
      },
      async attempt(work) {
        this.trouble = this.told = "";
        try {
          await work();
        } catch (error) {
          this.trouble = error.message;
        }
      },

      // ---- messages ----

      get noMessages() {
        return this.messages.length === 0;
      },
      messageText: (m) => m.text ?? m.file,
      lengthText: (m) => `${m.length_s} s`,
      dropLabel: (m) => `Delete ${m.name}`,
      soundAt: (m) => address(`/messages/${m.id}/sound`),
      loudnessText: (m) =>
        m.sound ? (m.sound.loudness_lufs === null ? "too short" : `${m.sound.loudness_lufs} LUFS`) : "",
      peakText: (m) => (m.sound ? `${m.sound.peak_dbfs} dBFS` : ""),
      siteText({ sound, text }) {
        if (!sound) return text ? "" : "nobody has brought its sound yet";
        if (sound.clipped) return `clipped ${sound.clipped} times: bring it again, recorded quieter`;
        if (sound.below_db === null) return "";
        const [below, room] = [sound.below_db.toFixed(0), sound.room_db.toFixed(1)];
        return `${below} dB below the level that the plan counts with; ${room} dB louder before it clips`;
      },
      siteClass: ({ sound, text }) => ((sound ? sound.clipped > 0 || sound.is_quiet : !text) ? "raised" : "quiet"),
      async keepMessage(send) {
        await this.attempt(async () => {
          const saved = await send(this.message);
          this.messages = [...this.messages.filter((m) => m.id !== saved.id), saved];
          this.message = { ...FRESH };
        });
      },
      addMessage() {
        return this.keepMessage(({ name, text, length_s }) =>
          ask("POST", "/messages", { name, text, length_s: Number(length_s) || length_s }),
        );
      },
      makeTone() {
        return this.keepMessage(({ name, hertz, length_s }) =>
          ask("POST", "/messages/tone", {
            name,
            hertz: Number(hertz) || hertz,
            length_s: Number(length_s) || length_s,
          }),
        );
      },
      async bringSound(input) {
        if (!input.files.length) return;
        const [file] = input.files;
        const name = this.message.name.trim() || file.name.replace(/\.[^.]*$/, "");
        const where = `name=${encodeURIComponent(name)}&file=${encodeURIComponent(file.name)}`;
        const body = await file.arrayBuffer();
        await this.keepMessage(() => ask("POST", `/messages/sound?${where}`, body, { raw: true }));
      },
      async dropMessage(m) {
        await this.attempt(async () => {
          await ask("DELETE", `/messages/${m.id}`);
          this.messages = this.messages.filter((other) => other.id !== m.id);
        });
      },

      // ---- what it would have done ----

      get raisedText() {
        if (!this.judged) return "";
        if (this.judged.lacks) return this.judged.lacks;
        const count = this.judged.raised.length;
        return `It raises ${count} ${count === 1 ? "time" : "times"} on the takes of its parts`;
      },
      get spanText() {
        const spans = this.judged?.spans ?? [];
        return spans.length
          ? spans.map(([name, from, to]) => `${name} ${short(Math.round(to - from))}`).join(", ")
          : "";
      },
      draw() {
        const judged = this.judged?.lanes ? this.judged : null;
        redraw(this.$refs.lanes, judged ? lanes(this.$refs.lanes, judged, this.draft.name) : []);
        this.$refs.strips.replaceChildren(
          ...(judged?.strips ?? []).map((each) =>
            strip(each, may("engineer") && ((value) => this.set({ [each.key]: value }))),
          ),
        );
      },
    };
  });
});

// Takes lie one after the other with a gap between, however long it really was.
function laid(spans) {
  const total = spans.reduce((sum, [, from, to]) => sum + (to - from), 0) || 1;
  const gap = 12;
  const width = WIDTH - LEFT - 10 - gap * (spans.length - 1);
  let at = LEFT;
  const parts = [];
  const sorted = [...spans].sort((a, b) => a[1] - b[1]);
  for (const [name, from, to] of sorted) {
    if (parts.some((p) => from < p.to && to > p.from)) continue; // beside one that lies there
    const w = ((to - from) / total) * width;
    parts.push({ name, from, to, x: at, w });
    at += w + gap;
  }
  return {
    parts,
    x: (s) => {
      const part = parts.find((p) => s >= p.from - 1e-6 && s <= p.to + 1e-6) ?? parts[parts.length - 1];
      return part.x + ((s - part.from) / Math.max(part.to - part.from, 1e-9)) * part.w;
    },
    end: (s) => parts.find((p) => s >= p.from && s <= p.to)?.to ?? s,
  };
}

function lanes(svg, judged, name) {
  const { parts, x, end } = laid(judged.spans);
  const rows = judged.lanes.length + 1;
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${TOP + rows * LANE + 20}`);
  const out = parts.map((p) => el("rect", { class: "take", x: p.x, y: TOP - 4, width: p.w, height: rows * LANE + 6 }));
  judged.lanes.forEach((lane, n) => {
    const y = TOP + n * LANE;
    out.push(el("text", { x: 0, y: y + 11 }, `${n ? "" : "▸ "}${lane.name}`));
    for (const [from, to, used] of lane.events) {
      const left = x(from);
      const right = x(Math.min(to ?? end(from), end(from)));
      out.push(
        el("rect", {
          class: used ? "event used" : "event",
          x: left,
          y: y + 2,
          width: Math.max(right - left, 2),
          height: 11,
        }),
      );
    }
  });
  const y = TOP + judged.lanes.length * LANE;
  out.push(el("text", { class: "own", x: 0, y: y + 12 }, name));
  for (const [at, asleep] of judged.raised)
    out.push(el("path", { class: asleep ? "raised asleep" : "raised", d: `M${x(at)} ${y + 1}l5 6-5 6-5-6z` }));
  for (const p of parts)
    for (const t of ticks(0, p.to - p.from, Math.max(p.w / 90, 1)))
      out.push(
        el("text", { class: "tick", x: p.x + (t / (p.to - p.from)) * p.w, y: y + LANE + 14 }, short(Math.round(t))),
      );
  return out;
}

// How often it raises with other values; a click takes one.
function strip({ title, points, now }, take) {
  const most = Math.max(...points.map(([, count]) => count), 1);
  const [w, h] = [300, 86];
  const step = w / points.length;
  const svg = el("svg", { viewBox: `0 0 ${w} ${h}`, class: "compound-strip", role: "img", "aria-label": title });
  svg.append(el("text", { x: 0, y: 11, class: "title" }, title));
  points.forEach(([value, count], n) => {
    const tall = (count / most) * 34;
    const bar = el(
      "g",
      { class: value === now ? "now" : "other" },
      el("rect", { x: n * step, y: 16, width: step, height: h - 16, class: "hit" }),
      el("rect", { x: n * step + 1, y: 68 - tall, width: step - 2, height: Math.max(tall, 0.8), class: "pile" }),
      el("text", { x: n * step + step / 2, y: 64 - tall, class: "count" }, count),
      el("text", { x: n * step + step / 2, y: 80, class: "value" }, value >= 60 ? `${value / 60}m` : value),
      el("title", {}, `${short(value)}: raises ${count} times`),
    );
    if (take) bar.addEventListener("click", () => take(value));
    svg.append(bar);
  });
  return svg;
}
