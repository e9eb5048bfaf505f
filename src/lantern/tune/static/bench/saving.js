// Saving: undo and redo, revisions with their reason, the state as an address.
import { ask } from "/static/js/http.js";
import { copy, ownOf, same } from "./dials.js";

export const saving = ({ data, infos, keys, addressed }) => {
  Object.assign(keys, { u: (page) => page.undo(), r: (page) => page.redo() });
  return {
    revision: data.revision,
    past: [],
    future: [],
    reason: "",
    addressTimer: 0,
    busy: false,
    leaving: false,

    timetable: data.detector.timetable ?? null,
    own: ownOf(data.detector),
    get hours() {
      return this.timetable ?? "";
    },
    setHours(name) {
      this.remember();
      this.timetable = name || null;
      this.refresh();
    },

    get state() {
      return { dials: copy(this.dials), regions: copy(this.regions), timetable: this.timetable, own: copy(this.own) };
    },
    remember() {
      this.past.push(this.state);
      if (this.past.length > 200) this.past.shift();
      this.future = [];
    },
    undo() {
      if (this.past.length) this.swap("past", "future");
      else this.undoMark();
    },
    redo() {
      if (this.future.length) this.swap("future", "past");
      else this.redoMark();
    },
    get canUndo() {
      return this.past.length > 0 || this.marksDone.length > 0;
    },
    get canRedo() {
      return this.future.length > 0 || this.marksUndone.length > 0;
    },
    swap(from, to) {
      const state = this[from].pop();
      if (!state) return;
      this[to].push(this.state);
      Object.assign(this, state);
      this.chosenRegion = Math.min(this.chosenRegion, this.regions.length - 1);
      this.faults = {};
      this.resetTexts();
      this.refresh();
    },

    openSave() {
      this.reason = "";
      this.$refs.save.showModal();
    },
    async save() {
      this.busy = true;
      try {
        const { revision } = await ask("POST", `/bench/${data.detectorId}/revisions`, {
          detector: this.draft,
          reason: this.reason,
          base: this.revision,
        });
        this.revision = revision;
        this.saved = this.state;
        this.before = this.now;
        this.writeAddress();
        this.$refs.save.close();
      } catch (error) {
        this.$refs.save.close();
        if (error.body?.parts) this.openMerge(error.body);
        else this.explain(error);
      }
      this.busy = false;
    },

    // ---- two at once ----

    merge: null, // what both have changed, as the server compares it
    choices: {},
    openMerge(merge) {
      this.merge = merge;
      this.choices = {};
      this.$refs.merge.showModal();
    },
    takenSide(part) {
      return part.take ?? this.choices[part.key];
    },
    chooseSide(part, side) {
      this.choices = { ...this.choices, [part.key]: side };
    },
    get undecided() {
      return (this.merge?.parts ?? []).filter((part) => !this.takenSide(part)).length;
    },
    async saveMerged() {
      this.busy = true;
      try {
        const body = {
          detector: this.draft,
          reason: this.reason,
          base: this.revision,
          over: this.merge.over,
          choices: this.choices,
        };
        await ask("POST", `/bench/${data.detectorId}/revisions`, body);
        this.leaving = true;
        location.href = `${location.pathname}?take=${data.take.id}`;
      } catch (error) {
        this.$refs.merge.close();
        this.explain(error);
      }
      this.busy = false;
    },

    // ---- the address ----

    // Soon, and not with each step of a drag: the browser allows only so many changes a second.
    writeAddress() {
      clearTimeout(this.addressTimer);
      this.addressTimer = setTimeout(() => this.writeAddressNow(), 150);
    },
    writeAddressNow() {
      const url = new URL(location.href);
      const put = (key, value) => {
        if (value === null || value === "" || value === false) url.searchParams.delete(key);
        else url.searchParams.set(key, value);
      };
      put("t", data.frame.axis ? this.t.toFixed(1) : null);
      put("tab", this.tab === "dials" ? null : this.tab);
      for (const [word, value] of Object.entries(addressed)) put(word, value(this));
      put("together", this.together ? "1" : null);
      for (const [name, text] of Object.entries(this.wishes)) put(`wish.${name}`, text);
      for (const name of Object.keys(this.dials))
        put(`dial.${name}`, same(this.dials[name], this.saved.dials[name]) ? null : JSON.stringify(this.dials[name]));
      put("hours", this.timetable === this.saved.timetable ? null : JSON.stringify(this.timetable));
      put("own", same(this.own, this.saved.own) ? null : JSON.stringify(this.own));
      put("regions", same(this.regions, this.saved.regions) ? null : JSON.stringify(this.regions));
      history.replaceState(null, "", url);
    },
    readAddress() {
      const query = new URLSearchParams(location.search);
      this.together = query.get("together") === "1";
      for (const name of Object.keys(this.wishes)) this.wishes[name] = query.get(`wish.${name}`) ?? "";
      try {
        for (const name of Object.keys(this.dials))
          if (query.has(`dial.${name}`) && infos[name]) this.dials[name] = JSON.parse(query.get(`dial.${name}`));
        if (query.has("hours")) this.timetable = JSON.parse(query.get("hours"));
        if (query.has("own")) this.own = JSON.parse(query.get("own"));
        if (query.has("regions")) this.regions = JSON.parse(query.get("regions"));
      } catch (error) {
        this.trouble = `The address holds something unreadable: ${error.message}`;
      }
    },
  };
};
