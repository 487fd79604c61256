// What is typed out of the server's reach waits on this device, shown and editable, and is sent once it is back: each with
// a mark of its own, so that it is kept once however often it is sent.

const WAITING = "voltaun-waiting";
const FILE = document.body.dataset.away; // which log this is, wherever its file lies
const AGAIN = 20000;

function all() {
  try {
    return JSON.parse(localStorage.getItem(WAITING)) || [];
  } catch {
    return [];
  }
}

// Only those of this log: another one at the same address is not given them.
const waiting = () => all().filter((of) => of.file === FILE);

function put(one) {
  const before = all();
  const after = before.some((of) => of.mark === one.mark) ? before.map((of) => (of.mark === one.mark ? one : of)) : [...before, one];
  localStorage.setItem(WAITING, JSON.stringify(after)); // throws where the browser keeps nothing
}

function drop(mark) {
  localStorage.setItem(WAITING, JSON.stringify(all().filter((of) => of.mark !== mark)));
}

let sending = false;
let reached = true;
let strange = false; // let out meanwhile, or in by another session
const kept = [];

async function send() {
  if (sending || !waiting().length) return;
  sending = true;
  try {
    const asked = await fetch("/away/mark", { cache: "no-store", signal: AbortSignal.timeout(10000) });
    reached = true;
    strange = asked.status === 401 || asked.redirected;
    if (strange || !asked.ok) return;
    const { mark, file } = await asked.json();
    if (file !== FILE) return;
    for (const { mark: next } of waiting().filter((of) => !of.held && !of.changing)) {
      const one = waiting().find((of) => of.mark === next); // as it is now: it may have been changed or removed meanwhile
      if (one && !one.held && !one.changing) await sendOne(one, mark);
      if (strange) return;
    }
  } catch {
    reached = false;
  } finally {
    sending = false;
    show();
  }
}

// Each has its own answer: what is wrong with one stops none that waits behind it. Only a server that does not answer does.
async function sendOne(one, mark) {
  const body = new URLSearchParams([...one.fields, ["csrf_token", mark], ["sent", one.mark], ["typed", one.typed],
    ["base", one.base], ["clock", new Date().toISOString()], ...(one.changed ? [["changed", "yes"]] : []),
    ...Object.entries(one.answers || {})]);
  put({ ...one, tried: true }); // the answer may be lost: it may be kept from now on
  const answer = await fetch(`/${one.rig}/away`, { method: "POST", body, signal: AbortSignal.timeout(30000) });
  strange = answer.status === 401 || answer.redirected;
  if (strange) return;
  let told;
  try {
    told = await answer.json();
  } catch {
    const words = { 403: "This device may only look.", 404: "Its rig is not there any more.", 400: "It is tried again: the page had gone stale.", 413: "It is too large." }[answer.status]
      || (answer.ok ? "The answer was not understood; it is tried again." : `The server answered ${answer.status}; it is tried again.`);
    hold(one, [words], [403, 404, 413].includes(answer.status));
    return;
  }
  if (told.state !== "kept") {
    hold(one, told.words || [], true, told.choices);
    return;
  }
  const now = waiting().find((of) => of.mark === one.mark);
  drop(one.mark);
  // What was typed over it since is a change of the one that is kept.
  if (now && (now.changing || now.typedAgain !== one.typedAgain)) put({ ...now, tried: true, changed: now.changed || now.typedAgain !== one.typedAgain });
  kept.push([...new Set([line(one), ...told.words])].join(" "));
}

function hold(one, words, held, choices = []) {
  const now = waiting().find((of) => of.mark === one.mark);
  if (now && now.typedAgain === one.typedAgain) put({ ...now, held, words, choices });
}

function line(one) {
  const when = new Date(one.typed);
  const at = one.fields.find(([name]) => name === "at")[1];
  const rest = one.fields.filter(([name]) => name !== "at").map(([name, value]) => {
    const [called, unit] = (one.labels[name] || name).split(", ");
    return `${called.toLowerCase()} ${value}${unit && /\d$/.test(value) ? ` ${unit}` : ""}`;
  });
  return `${one.called}, ${at === "now" ? when.toLocaleString([], { weekday: "short", hour: "2-digit", minute: "2-digit", hour12: false }) : at}: ${rest.join("; ")}.`;
}

function make(tag, words, act) {
  const of = document.createElement(tag);
  of.textContent = words;
  if (act) {
    of.type = "button";
    of.className = "plain";
    of.addEventListener("click", act);
  }
  return of;
}

function tell(words, href) {
  const told = document.querySelector("#away-told");
  if (!told) return;
  told.textContent = words;
  if (href) {
    const link = make("a", "Come in");
    link.href = href;
    told.append(" ", link);
  }
}

// On the page for it: the list of what waits. On any other: one line, once something was sent or is held.
function show() {
  const list = document.querySelector("#away-waiting");
  const ones = waiting();
  if (!list) {
    const page = document.querySelector("#page");
    page?.querySelector("#away-note")?.remove();
    if (!page || (!kept.length && !ones.length)) return;
    const note = make("p", kept.length ? `${kept.length} that waited on this device ${kept.length > 1 ? "are" : "is"} kept. ` : "");
    note.id = "away-note";
    note.className = "flash";
    note.setAttribute("role", "status");
    if (ones.length) note.append(`${ones.length} ${ones.length > 1 ? "wait" : "waits"} on this device. `);
    const link = make("a", ones.length ? "Look at it" : "Show it");
    link.href = ones.length ? "/away" : location.href;
    note.append(link);
    page.prepend(note);
    return;
  }
  if (strange) tell("This device has to come in again before it can send.", "/enter");
  else tell(!ones.length ? (reached ? "" : "Out of reach. What you type waits here, and is sent once the server answers.")
    : reached ? "" : "Out of reach: it is tried again by itself.");
  document.querySelector("#away-back").hidden = !reached;
  list.replaceChildren(...ones.map((one) => {
    const item = make("li", line(one));
    for (const words of one.words || []) item.append(" ", make("strong", words));
    const edit = make("button", "Change", () => fill(one));
    const remove = make("button", "Remove", () => { drop(one.mark); show(); });
    item.append(" ", edit, " ", remove);
    for (const [answer, says] of one.choices || []) {
      item.append(" ", make("button", says, () => { put({ ...one, held: false, words: [], choices: [], answers: { ...one.answers, ...answer } }); show(); send(); }));
    }
    return item;
  }));
  document.querySelector("#away-kept").replaceChildren(...kept.map((words) => make("li", words)));
  document.querySelector("#away-waits").hidden = !ones.length;
  document.querySelector("#away-was-kept").hidden = !kept.length;
}

function formOfRig(rig) {
  return document.querySelector(`form[data-rig="${rig}"]`);
}

function fill(one) {
  const form = formOfRig(one.rig);
  if (!form) return;
  form.closest("details").open = true;
  form.reset();
  for (const [name, value] of one.fields) {
    for (const field of form.elements) {
      if (field.name !== `r${one.rig}-${name}`) continue;
      if (field.type === "checkbox") field.checked = field.checked || field.value === value;
      else field.value = value;
    }
  }
  put({ ...one, changing: true });
  form.dataset.mark = one.mark;
  form.dataset.typed = one.typed;
  form.querySelector("input")?.focus();
}

function take(form) {
  const rig = form.dataset.rig;
  const prefix = `r${rig}-`;
  const fields = [...new FormData(form)].filter(([name, value]) => name.startsWith(prefix) && value.trim())
    .map(([name, value]) => [name.slice(prefix.length), value.trim()]);
  const fault = form.querySelector(".fault.none");
  fault.hidden = fields.some(([name]) => name !== "at");
  if (!fault.hidden) return;
  if (!fields.some(([name]) => name === "at")) fields.unshift(["at", "now"]);
  const labels = Object.fromEntries([...form.querySelectorAll("label[for]")].map((of) => [of.htmlFor.slice(prefix.length), of.textContent.trim()]));
  // One that was sent once, though its answer may be lost, or was kept while it was typed over, is changed in the log.
  const before = form.dataset.mark;
  const stands = before && waiting().find((of) => of.mark === before);
  const changed = Boolean(before) && (!stands || Boolean(stands.tried));
  const one = { mark: before || crypto.randomUUID(), typedAgain: before ? Date.now() : 0, tried: changed, changed, file: FILE, rig, called: form.dataset.called,
    fields, labels, base: form.dataset.base, typed: form.dataset.typed || new Date().toISOString() };
  try {
    put(one);
  } catch {
    tell("This browser keeps nothing; write it on paper.");
    return;
  }
  delete form.dataset.mark;
  delete form.dataset.typed;
  form.reset();
  show();
  send();
}

if (FILE) {
  // Those of a release that knew a log by its path alone are this one's.
  for (const one of all().filter((of) => of.file === document.body.dataset.awayBefore)) {
    put({ ...one, file: FILE, choices: one.asks ? [[{ sure: one.asks }, "Yes, keep it so"]] : [] });
  }
  for (const one of waiting().filter((of) => of.changing)) put({ ...one, changing: false }); // left half-way: as it was
  document.addEventListener("submit", (event) => {
    if (!event.target.matches("form[data-rig]")) return;
    event.preventDefault();
    take(event.target);
  });
  for (const field of document.querySelectorAll('form[data-rig] [name$="-at"]')) field.placeholder = "now";
  document.querySelector("#away-now")?.addEventListener("click", () => send());
  addEventListener("online", send);
  setInterval(() => document.visibilityState === "visible" && send(), AGAIN);
  if (document.querySelector("#away-waiting")) {
    // A page that was kept: whether the server is in reach is only known once it is asked.
    fetch("/away/mark", { cache: "no-store", signal: AbortSignal.timeout(10000) }).then(() => { reached = true; }, () => { reached = false; })
      .then(() => { show(); send(); });
  }
  show();
  send();
  if (isSecureContext && "serviceWorker" in navigator) {
    navigator.serviceWorker.register("/sw.js").then(() => navigator.serviceWorker.ready).then((ready) => ready.active?.postMessage("renew"), () => {});
  }
}
