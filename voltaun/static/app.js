// What only the client can do: walking the strip, and the keys. Everything works without it, less comfortably.

document.addEventListener("alpine:init", () => {
  // The strip: arrow keys and the pointer walk the days and say that day's figures.
  window.Alpine.data("strip", () => ({
    line: "",
    from: "",
    marked: [],
    compare: "",
    stretch: "",
    init() {
      const now = this.days().find((day) => day.getAttribute("tabindex") === "0");
      if (now) this.line = now.dataset.line;
    },
    days() {
      return [...this.$root.querySelectorAll("a.day")].filter((day) => day.getClientRects().length > 0);
    },
    here(event) {
      const day = event.target.closest("a.day");
      if (day) this.line = day.dataset.line;
    },
    // Dragging over days marks a stretch; the second one is set beside the first.
    dayOf(event) {
      const at = document.elementFromPoint(event.clientX, event.clientY);
      const day = at && at.closest("a.day");
      return day ? new URL(day.href.baseVal, location.href).searchParams.get("day") : "";
    },
    begin(event) {
      this.from = this.dayOf(event);
    },
    end(event) {
      const to = this.dayOf(event);
      const from = this.from;
      this.from = "";
      if (!from || !to || from === to) return;
      this.$root.addEventListener("click", (click) => click.preventDefault(), { capture: true, once: true });
      this.marked = [...this.marked.slice(-1), [from, to].sort()];
      this.stretch = `Marked ${this.marked.map((ends) => ends.join(" to ")).join(" and ")}${this.marked.length > 1 ? ": set them beside one another" : "; mark another, or set it beside the days before"}`;
      const [a, b] = this.marked;
      const names = ["a_first", "a_last", "b_first", "b_last"];
      const days = b ? [...a, ...b] : ["", "", ...a];
      const asked = new URLSearchParams(names.map((name, n) => [name, days[n]]).filter(([, day]) => day));
      this.compare = `${this.$root.querySelector("[data-compare]").dataset.compare}?${asked}`;
    },
    walk(event) {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      const day = event.target.closest("a.day");
      if (!step || !day) return;
      event.preventDefault();
      const days = this.days();
      const next = days[days.indexOf(day) + step];
      if (!next) return;
      day.setAttribute("tabindex", "-1");
      next.setAttribute("tabindex", "0");
      next.focus();
    },
  }));

  // Typing days in: up and down go to the same figure of the next row.
  window.Alpine.data("grid", () => ({
    move(event) {
      const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      const cell = event.target.closest("td");
      if (!step || !cell || event.target.matches("select, input[type=datetime-local]")) return;
      const rows = [...cell.closest("tbody").rows];
      const row = rows[rows.indexOf(cell.parentElement) + step];
      if (!row) return;
      event.preventDefault();
      row.cells[cell.cellIndex].querySelector("input, select").focus();
    },
  }));

  // First run: the browser knows the time zone, so that nobody has to look for it.
  window.Alpine.data("zone", () => ({
    init() {
      const known = Intl.DateTimeFormat().resolvedOptions().timeZone;
      const select = this.$root;
      if (select.dataset.guess === "yes" && [...select.options].some((option) => option.value === known)) {
        select.value = known;
      }
    },
  }));

  // The keys: n new reading, 1-7 pages, [ ] earlier and later, / find a date, ? the list, Esc closes.
  window.Alpine.data("keys", () => ({
    press(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const list = document.getElementById("key-list");
      if (event.key === "Escape") {
        if (list.open) list.close();
        else if (event.target.matches("input, select, textarea")) event.target.blur();
        return;
      }
      if (event.target.matches("input, select, textarea")) return;
      if (event.key === "?") list.showModal();
      else if (event.key === "n") this.follow("#new-reading", "#soc");
      else if (event.key === "/") this.follow("#find-link", "#find");
      else if (event.key === "[") this.follow("a[rel=prev]");
      else if (event.key === "]") this.follow("a[rel=next]");
      else if (/^[1-7]$/.test(event.key)) this.follow(`a[data-key="${event.key}"]`);
      else return;
      event.preventDefault();
    },
    follow(link, field) {
      const there = field && document.querySelector(field);
      if (there) there.focus();
      else document.querySelector(link)?.click();
    },
    open() {
      document.getElementById("key-list").showModal();
    },
  }));
});
