// What only the client can do: walking the strip, the keys, and seeing that nothing typed is lost. Everything works
// without it, less comfortably.

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
      if (!step || !cell || event.target.matches("select")) return;
      const rows = [...cell.closest("tbody").rows];
      const row = rows[rows.indexOf(cell.parentElement) + step];
      if (!row) return;
      event.preventDefault();
      row.cells[cell.cellIndex].querySelector("input, select").focus();
    },
  }));

  // The field of options, and the sky: one stop for Tab, and arrow keys walk the cells.
  window.Alpine.data("field", () => ({
    init() {
      const stops = [...this.stops()];
      this.stop(stops.find((one) => one === document.activeElement)
        ?? stops.find((one) => one.matches('.chosen a, [aria-pressed="true"]')) ?? stops[0]);
    },
    stops() {
      return this.$root.querySelectorAll("tbody td :is(a, button)");
    },
    stop(at) {
      for (const one of this.stops()) one.tabIndex = one === at ? 0 : -1;
    },
    here(event) {
      if (event.target.closest("tbody td")) this.stop(event.target);
    },
    walk(event) {
      const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
      const cell = event.target.closest("td");
      if (!step || !cell) return;
      event.preventDefault();
      const row = this.$root.querySelectorAll("tbody tr")[cell.parentElement.sectionRowIndex + step[0]];
      row?.cells[cell.cellIndex + step[1]]?.querySelector("a, button")?.focus();
    },
  }));

  // First run: the browser knows the time zone, so that nobody has to look for it.
  window.Alpine.data("zone", () => ({
    init() {
      const known = Intl.DateTimeFormat().resolvedOptions().timeZone;
      const field = this.$root;
      if (field.dataset.guess === "yes" && !field.value && [...field.list.options].some((one) => one.value === known)) {
        field.value = known;
        field.defaultValue = known; // nobody typed it
      }
    },
  }));

  // The keys: n new reading, 1-7 pages, [ ] earlier and later, / find a date, ? the list, Esc closes.
  window.Alpine.data("keys", () => ({
    init() {
      if (!document.querySelector("#entry #soc")) sessionStorage.removeItem("typed-ahead");
      // A page that was reached by its key begins with what it says, and not with the rail.
      if (sessionStorage.getItem("by-key")) document.getElementById("page")?.focus({ preventScroll: true });
      sessionStorage.removeItem("by-key");
    },
    press(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const list = document.getElementById("key-list");
      if (event.key === "Escape") {
        if (list.open) list.close();
        else if (event.target.matches("input, select, textarea")) event.target.blur();
        return;
      }
      if (event.target.matches("input, select, textarea")) return;
      const ahead = sessionStorage.getItem("typed-ahead");
      if (ahead !== null) {
        // The page with the entry is on its way: what is typed meanwhile is meant for it.
        if (event.key.length === 1) sessionStorage.setItem("typed-ahead", ahead + event.key);
      } else if (event.key === "?") list.showModal();
      else if (event.key === "n") this.enter();
      else if (event.key === "/") this.follow("#find-link", "#find");
      else if (event.key === "[") this.follow("a[rel=prev]");
      else if (event.key === "]") this.follow("a[rel=next]");
      else if (/^[1-7]$/.test(event.key)) {
        sessionStorage.setItem("by-key", "yes");
        this.follow(`a[data-key="${event.key}"]`);
      }
      else return;
      event.preventDefault();
    },
    enter() {
      const here = document.querySelector("#entry #soc");
      if (here) {
        here.focus();
        here.scrollIntoView({ block: "center" });
        return;
      }
      const link = document.querySelector("#new-reading");
      if (!link) return;
      sessionStorage.setItem("typed-ahead", "");
      setTimeout(() => sessionStorage.removeItem("typed-ahead"), 8000); // it did not come
      // Put into this document, so that no key falls between two; left for when something unsaved must be asked about.
      if (anyUnsaved()) link.click();
      else window.htmx.ajax("GET", link.href, { source: link, target: ".frame", select: ".frame", swap: "outerHTML",
        headers: { "HX-Boosted": "true" } });
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

// Every form that writes is sent by htmx, so that an answer that does not come leaves the page, and what was typed, as
// it is. Forms that change more than the page (`data-whole`) are sent by the browser, once the server is seen to answer.
const WAITS = [2, 3, 5, 8, 12, 20, 30, 40];
const tries = new WeakMap();

function prepare(root) {
  for (const form of root.querySelectorAll('form[method="post"]:not([data-whole]):not([hx-post])')) {
    form.setAttribute("hx-post", form.getAttribute("action"));
    form.setAttribute("hx-target", "#page");
    form.setAttribute("hx-swap", "outerHTML");
    form.setAttribute("hx-disabled-elt", "find button");
    if (form.enctype === "multipart/form-data") form.setAttribute("hx-encoding", form.enctype);
    window.htmx.process(form);
  }
  const ahead = sessionStorage.getItem("typed-ahead");
  const entry = document.querySelector("#entry #soc");
  if (ahead === null || !entry) return;
  entry.value = ahead + entry.value; // what was typed before it came, then what was typed since
  entry.focus();
  entry.scrollIntoView({ block: "center" });
  sessionStorage.removeItem("typed-ahead");
}

function formOf(element) {
  return element.closest ? element.closest("form") : null;
}

// The line beside the button that was pressed: why it is not kept, and what happens next.
function say(form, words, buttons) {
  form.querySelector(".not-kept")?.remove();
  if (!words) return;
  const line = document.createElement("p");
  line.className = "not-kept";
  line.setAttribute("role", "alert");
  line.append(words);
  for (const [name, act] of buttons || []) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "plain";
    button.textContent = name;
    button.addEventListener("click", act);
    line.append(" ", button);
  }
  const beside = (pressed.get(form) || form.querySelector("button.keep, button"))?.closest("p, td, div");
  if (beside && form.contains(beside) && beside !== form) beside.after(line);
  else form.append(line);
}

const pressed = new WeakMap();
document.addEventListener("submit", (event) => {
  if (event.submitter) pressed.set(event.target, event.submitter);
}, true);

function send(form) {
  const button = pressed.get(form);
  form.requestSubmit(button && form.contains(button) ? button : undefined);
}

function again(form, reason) {
  const before = tries.get(form) || { count: 0 };
  clearInterval(before.clock);
  if (before.count >= WAITS.length) {
    tries.delete(form);
    say(form, `${reason} Not kept. What you typed stays here.`, [["Try again", () => send(form)]]);
    return;
  }
  let left = WAITS[before.count];
  const state = { count: before.count + 1 };
  const stop = () => {
    clearInterval(state.clock);
    tries.delete(form);
    say(form, `${reason} Not kept. What you typed stays here.`, [["Try again", () => send(form)]]);
  };
  const tell = () => say(form, `${reason} Not kept yet; what you typed stays here. Trying again in ${left} s, ${state.count} of ${WAITS.length}.`,
    [["Try now", () => { clearInterval(state.clock); send(form); }], ["Stop trying", stop]]);
  tell();
  state.clock = setInterval(() => {
    left -= 1;
    if (!form.isConnected) clearInterval(state.clock);
    else if (left > 0) tell();
    else {
      clearInterval(state.clock);
      send(form);
    }
  }, 1000);
  tries.set(form, state);
}

document.addEventListener("htmx:responseError", (event) => {
  const form = formOf(event.detail.elt);
  if (!form) return;
  const answer = event.detail.xhr;
  const token = answer.getResponseHeader("X-Token");
  if (token && form.dataset.renewed !== token) {
    // An old page, or a cookie that is gone: the page takes the new mark, and what was typed is sent once more.
    for (const field of document.querySelectorAll('input[name="csrf_token"]')) field.value = token;
    const first = !form.dataset.renewed;
    form.dataset.renewed = token;
    if (first) {
      setTimeout(() => send(form), 0);
      return;
    }
  }
  const plain = (answer.getResponseHeader("Content-Type") || "").startsWith("text/plain");
  const reason = plain && answer.responseText ? answer.responseText.slice(0, 300) : `The server answered ${answer.status}.`;
  if (answer.getResponseHeader("X-Again") && !token) again(form, reason);
  else say(form, `${reason} What you typed stays here.`, [["Try again", () => send(form)]]);
});
for (const name of ["htmx:sendError", "htmx:timeout", "htmx:swapError"]) {
  document.addEventListener(name, (event) => {
    const form = formOf(event.detail.elt);
    if (form) again(form, "The server does not answer.");
    else if (event.detail.elt.href) location.assign(event.detail.elt.href); // the browser says that nobody answers
  });
}

// What was kept says so beside the button that kept it.
document.addEventListener("htmx:beforeOnLoad", (event) => {
  const form = formOf(event.detail.elt);
  if (!form || event.detail.xhr.status >= 400) return;
  clearInterval(tries.get(form)?.clock);
  tries.delete(form);
  form.dataset.kept = "yes";
});
document.addEventListener("htmx:afterSwap", (event) => {
  const request = event.detail.requestConfig;
  if (!request || request.verb !== "post" || event.detail.target.id !== "page") return;
  const page = document.getElementById("page");
  prepare(page);
  const forms = [...page.querySelectorAll("form")];
  const same = forms.find((form) => form.getAttribute("action") === request.path);
  if (event.detail.xhr.status >= 400) {
    if (same) same.dataset.unsaved = "yes";
    const first = page.querySelector(".asking, [aria-invalid='true']");
    first?.focus();
    first?.scrollIntoView({ block: "nearest" });
    return;
  }
  const flash = page.querySelector(".flash");
  if (!flash) return;
  if (same && same.querySelector("button.keep") && same.getClientRects().length) same.after(...page.querySelectorAll(".flash"));
  flash.focus({ preventScroll: true }); // what was pressed is gone: the next key goes on from what was said
  flash.scrollIntoView({ block: "nearest" });
});
document.addEventListener("htmx:load", (event) => prepare(event.detail.elt));

// A figure that was asked about is another once it is typed over: the question goes, and what keeps it stands there again.
document.addEventListener("input", (event) => {
  const form = event.target.form;
  const asked = form?.querySelector(".asking");
  if (!asked) return;
  asked.remove();
  form.querySelector(".behind")?.classList.remove("behind");
});

// A whole page is left for: only once the server is seen to answer.
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (event.defaultPrevented || !form.matches("form[data-whole]") || form.dataset.seen) return;
  event.preventDefault();
  try {
    await fetch("/static/app.js", { method: "HEAD", cache: "no-store" });
  } catch {
    again(form, "The server does not answer.");
    return;
  }
  form.dataset.seen = "yes";
  form.dataset.kept = "yes";
  send(form);
});

// Unsaved figures are asked about when one leaves.
function unsaved(form) {
  if (form.dataset.kept || form.classList.contains("grounds")) return false;
  if (form.dataset.unsaved) return true;
  return [...form.elements].some((field) => field.type !== "hidden" && field.type !== "file" && field.name && (
    field.type === "checkbox" || field.type === "radio" ? field.checked !== field.defaultChecked
      : field.options ? [...field.options].some((option) => option.selected !== option.defaultSelected
        && !(field.selectedIndex === 0 && ![...field.options].some((each) => each.defaultSelected)))
        : field.value !== undefined && field.defaultValue !== undefined && field.value !== field.defaultValue));
}
function anyUnsaved() {
  return [...document.querySelectorAll('form[method="post"]')].some(unsaved);
}
window.addEventListener("beforeunload", (event) => {
  if (anyUnsaved()) event.preventDefault();
});

// What another device keeps appears here: asked for now and then while the page is looked at. Where something is typed it
// is only said, so that nothing moves under the hand.
const ASKED_EVERY = 15000;
let asking = false;

async function askWhatIsNew() {
  const page = document.querySelector("#page[data-seen]");
  if (!page || asking || document.visibilityState !== "visible" || document.querySelector("#page.htmx-request, form.htmx-request")) return;
  asking = true;
  try {
    const answer = await fetch(page.dataset.ask, { cache: "no-store", signal: AbortSignal.timeout(10000) });
    const mark = answer.ok && !answer.redirected ? await answer.text() : "";
    if (!mark || mark === page.dataset.seen || document.querySelector("#page") !== page) return;
    if (!anyUnsaved() && !page.contains(document.activeElement?.closest("input, select, textarea"))) {
      const { scrollX, scrollY } = window;
      await window.htmx.ajax("GET", location.pathname + location.search, { target: "#page", swap: "outerHTML" });
      scrollTo(scrollX, scrollY);
      return;
    }
    page.dataset.seen = mark; // said once
    const note = document.createElement("p");
    note.className = "flash";
    note.setAttribute("role", "status");
    const link = document.createElement("a");
    link.href = location.href;
    link.textContent = "Show it";
    note.append("Another device kept something. ", link);
    page.prepend(note);
  } catch {
    // out of reach: another time
  } finally {
    asking = false;
  }
}
if (document.querySelector("#page[data-seen]")) setInterval(askWhatIsNew, ASKED_EVERY);
addEventListener("focus", askWhatIsNew);

// Two clocks that differ: one of them is wrong, be it ahead or behind, and readings would be put at another time.
const CLOCKS_APART = 600;
if (document.body.dataset.now) {
  const theirs = Number(document.body.dataset.now);
  const ours = Math.round(Date.now() / 1000);
  if (Math.abs(ours - theirs) > CLOCKS_APART) {
    const said = (seconds) => new Date(seconds * 1000).toLocaleString([], { dateStyle: "medium", timeStyle: "short", hourCycle: "h23" });
    const note = document.createElement("p");
    note.className = "caution standing";
    note.id = "clocks";
    note.textContent = `This device's clock says ${said(ours)}, the one of the machine that keeps the log ${said(theirs)}. One of them is wrong; type the true time with each reading.`;
    document.querySelector("#page").prepend(note);
  }
}
