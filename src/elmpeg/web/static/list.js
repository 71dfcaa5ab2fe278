// The measuring list: one quantity after the other. What is kept waits in this browser until the shop's server has it.
(() => {
  const $ = (id) => document.getElementById(id);
  const root = () => $("asked");
  let data = null, at = 0, sending = false, asking = null, echoTimer = 0;

  const storeName = () => `elmpeg-readings:${data.build}:${data.person}`;
  const placeName = () => `elmpeg-place:${data.build}`;
  const load = () => { try { return JSON.parse(localStorage.getItem(storeName())) || []; } catch { return []; } };
  const save = (all) => localStorage.setItem(storeName(), JSON.stringify(all.slice(-400)));
  const change = (edit) => { const all = load(); edit(all); save(all); show(); };
  const newKey = () => crypto.getRandomValues(new Uint32Array(4)).reduce((s, n) => s + n.toString(16).padStart(8, "0"), "").slice(0, 24);
  const csrf = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRF-Token"];
  const localTime = () => { const d = new Date(); return new Date(d - d.getTimezoneOffset() * 60000).toISOString().slice(0, 19); };

  const start = () => {
    if (!root() || root().dataset.state === "ready") return;
    root().dataset.state = "ready";
    data = JSON.parse($("asked-data").textContent);
    const kept = sessionStorage.getItem(placeName());
    at = Math.max(0, data.quantities.findIndex((q) => q.id === kept));
    ask(at, false);
    show();
    send();
  };

  const ask = (index, focus = true) => {
    if (!data.quantities.length) return;
    at = (index + data.quantities.length) % data.quantities.length;
    const q = data.quantities[at];
    sessionStorage.setItem(placeName(), q.id);
    $("asked-title").textContent = q.title;
    $("asked-what").textContent = q.what;
    const mine = load().filter((e) => e.asked === q.id && !e.undone).pop();
    $("asked-more").textContent = [q.wanted, mine ? `you read ${mine.text}` : q.before ? `last read ${q.before}` : "not read yet"].filter(Boolean).join("; ");
    draw(q.id);
    $("asked-unit").textContent = q.unit;
    $("asked-count").textContent = `${at + 1} of ${data.quantities.length}`;
    $("asked-text").dataset.takes = q.kind;
    $("asked-text").value = "";
    $("asked-echo").textContent = "";
    const tool = $("asked-tool");
    for (const option of tool.options) option.hidden = option.disabled = option.dataset.kind !== q.kind;
    if (!tool.selectedOptions[0] || tool.selectedOptions[0].disabled || !tool.dataset.chosen) tool.value = q.tool;
    if (!tool.value || tool.selectedOptions[0].disabled) tool.value = [...tool.options].find((o) => !o.disabled).value;
    if (focus) $("asked-text").focus();
  };

  // Where the figure is taken. The drawings came with the page; of a long list the later ones are fetched when they are reached.
  const draw = async (id) => {
    const shown = () => { for (const one of $("asked-drawings").children) one.hidden = one.dataset.asked !== data.quantities[at].id; };
    shown();
    if ([...$("asked-drawings").children].some((one) => one.dataset.asked === id) || data.quantities.findIndex((q) => q.id === id) < $("asked-drawings").children.length) return;
    try {
      const text = await (await fetch(`${data.drawing}?${new URLSearchParams({ asked: id })}`)).text();
      const svg = text.trim() && new DOMParser().parseFromString(text, "text/html").querySelector("svg");
      if (!svg) return;
      const place = document.createElement("div");
      place.className = "asked-drawing";
      place.dataset.asked = id;
      place.append(document.importNode(svg, true));
      $("asked-drawings").append(place);
      shown();
    } catch { /* Without a network the words say where. */ }
  };

  // What the server would understand, as it is typed; without a connection the text itself is what is kept.
  const echo = (asked, field, into) => {
    clearTimeout(echoTimer);
    const text = field.value.trim();
    into.textContent = "";
    into.classList.remove("is-refused");
    if (!text) return;
    echoTimer = setTimeout(async () => {
      try {
        const answer = await fetch(`${data.understand}?${new URLSearchParams({ asked, text })}`, { headers: { Accept: "application/json" } });
        const said = await answer.json();
        if (field.value.trim() !== text) return;
        into.textContent = said.refused ? said.refused : `${said.echo}${said.asks ? ` ${said.asks}` : ""}`;
        into.classList.toggle("is-refused", Boolean(said.refused || said.asks));
      } catch {
        into.textContent = `“${text}” will be understood when the connection is back`;
      }
    }, 120);
  };

  const keep = (asked, text, title, tool) => {
    change((all) => all.push({ key: newKey(), asked, text, title, tool, taken_at: localTime(), state: "waiting" }));
    send();
  };

  const send = async () => {
    if (sending || !data) return;
    const waiting = load().filter((e) => e.state === "waiting");
    if (!waiting.length) { link(navigator.onLine ? "connected" : "away"); return; }
    sending = true;
    let again = false;
    try {
      change((all) => all.forEach((e) => { if (waiting.some((w) => w.key === e.key)) e.tried = true; }));
      const plain = waiting.map(({ key, asked, text, tool, taken_at, sure, undo }) => (undo ? { key, undo } : { key, asked, text, tool, taken_at, sure: Boolean(sure) }));
      const answer = await fetch(data.queue, {
        method: "POST",
        headers: { "X-CSRF-Token": csrf(), "Content-Type": "application/x-www-form-urlencoded" },
        body: new URLSearchParams({ entries: JSON.stringify(plain) }),
      });
      if (answer.redirected || answer.status === 401 || answer.status === 403) { link("sign in again; your readings wait here"); return; }
      if (!answer.ok) { link("the server refused them; they wait here"); return; }
      const said = await answer.json();
      change((all) => all.forEach((e) => {
        if (said.taken.includes(e.key)) { e.state = "in"; e.echo = said.echoes[e.key] || e.echo; e.refused = ""; }
        else if (said.refused[e.key] && e.state === "waiting") { e.state = "refused"; e.refused = said.refused[e.key].message; e.asks = said.refused[e.key].field === "unit"; }
      }));
      link("connected");
      again = load().some((e) => e.state === "waiting");
    } catch {
      link("away");
    } finally {
      sending = false;
      show();
      if (again) setTimeout(send, 0);
    }
  };

  const link = (state) => {
    const waiting = load().filter((e) => e.state === "waiting").length;
    const words = state === "away" ? "no connection; readings wait in this tablet" : state;
    const place = $("asked-link");
    if (!place) return;
    place.textContent = waiting ? `${words} (${waiting} waiting)` : words;
    place.classList.toggle("is-away", state !== "connected" || waiting > 0);
  };

  const show = () => {
    if (!root() || !data) return;
    const all = load(), list = $("asked-list");
    list.replaceChildren(...all.filter((e) => !e.undo && !e.undone).slice(-8).reverse().map((e) => {
      const item = document.createElement("li");
      item.className = `is-${e.state}`;
      const words = document.createElement("span");
      words.textContent = e.state === "in" && e.echo ? e.echo : `${e.title}: ${e.text}`;
      const state = document.createElement("strong");
      state.textContent = { waiting: "waiting", in: "in", refused: "not understood" }[e.state];
      item.append(words, state);
      if (e.state === "refused") {
        const why = document.createElement("p");
        why.className = "field-error";
        why.textContent = e.refused;
        item.append(why);
        const button = (label, act) => { const b = document.createElement("button"); b.type = "button"; b.className = "button is-small"; b.textContent = label; b.addEventListener("click", act); item.append(b); };
        if (e.asks) button("Keep as written", () => { change((now) => { const one = now.find((o) => o.key === e.key); one.sure = true; one.state = "waiting"; }); send(); });
        button("Write it again", () => {
          change((now) => now.splice(now.findIndex((o) => o.key === e.key), 1));
          if (e.asked === "line") { $("asked-line-text").value = e.text; $("asked-line-text").focus(); return; }
          const index = data.quantities.findIndex((q) => q.id === e.asked);
          if (index >= 0) { ask(index); $("asked-text").value = e.text; }
        });
      }
      return item;
    }));
    $("asked-undo").disabled = !all.some((e) => !e.undo && !e.undone);
    const waiting = all.filter((e) => e.state === "waiting").length;
    if (waiting) link(navigator.onLine ? "sending" : "away");
  };

  const undo = () => {
    change((all) => {
      const last = all.filter((e) => !e.undo && !e.undone).pop();
      if (!last) return;
      if (last.tried || last.state === "in") {
        // It may have arrived even if no answer came back, so the server is told to take it out, whenever it can be told.
        last.undone = true;
        if (last.state !== "refused") all.push({ key: newKey(), undo: last.key, state: "waiting" });
        if (last.state === "waiting") last.state = "in";
      } else all.splice(all.indexOf(last), 1);
    });
    send();
    if (data.quantities.length) ask(at);
  };

  document.addEventListener("submit", (event) => {
    if (event.target.id === "asked-form") {
      event.preventDefault();
      const text = $("asked-text").value.trim();
      if (!text) { $("asked-echo").textContent = "Write the figure first, or go on with Next"; return; }
      const q = data.quantities[at];
      keep(q.id, text, `${q.title}, ${q.what.split(",")[0]}`, $("asked-tool").value);
      ask(at + 1);
    } else if (event.target.id === "asked-line") {
      event.preventDefault();
      const field = $("asked-line-text"), text = field.value.trim();
      if (!text) { $("asked-line-echo").textContent = "Write the point first, and its X, Y and Z behind it"; field.focus(); return; }
      keep("line", text, "Line", ($("asked-tool") && !$("asked-tool").selectedOptions[0].disabled && $("asked-tool").selectedOptions[0].dataset.kind === "mm" && $("asked-tool").value) || "tape");
      field.value = "";
      $("asked-line-echo").textContent = "";
    }
  });
  document.addEventListener("input", (event) => {
    if (event.target.id === "asked-text") echo(data.quantities[at].id, event.target, $("asked-echo"));
    if (event.target.id === "asked-line-text") echo("line", event.target, $("asked-line-echo"));
  });
  document.addEventListener("change", (event) => { if (event.target.id === "asked-tool") event.target.dataset.chosen = "yes"; });
  document.addEventListener("click", (event) => {
    const id = event.target.closest && event.target.closest("button") && event.target.closest("button").id;
    if (id === "asked-next") ask(at + 1);
    else if (id === "asked-previous") ask(at - 1);
    else if (id === "asked-undo") undo();
  });
  document.addEventListener("keydown", (event) => {
    if (!root() || !data || !data.quantities.length) return;
    if (!(event.target.closest && event.target.closest("#asked-form"))) return;
    if (event.key === "PageDown" || event.key === "PageUp") { event.preventDefault(); ask(at + (event.key === "PageDown" ? 1 : -1)); }
  });
  // The list opens afresh without a network; browsers allow that over TLS and on the machine itself.
  if ("serviceWorker" in navigator && document.getElementById("asked")) navigator.serviceWorker.register("/service-worker.js").catch(() => {});
  window.addEventListener("online", send);
  window.addEventListener("offline", () => { if (root() && data) link("away"); });
  setInterval(() => { if (root() && data) send(); }, 5000);
  document.addEventListener("htmx:load", start);
  document.addEventListener("DOMContentLoaded", start);
  start();
})();
