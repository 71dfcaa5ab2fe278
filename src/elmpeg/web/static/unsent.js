// What somebody typed and has not sent is kept: through other buttons, through others' changes, through leaving the page
// and coming back. It says so beside its form, and can be put back as it is saved.
(() => {
  const FREE = ["base", "csrf"];
  const PLAIN = ["hidden", "password", "file", "submit", "button", "image", "reset", "range"];
  const MOST = 200000;
  const store = () => `elmpeg-unsent:${document.body.dataset.person}:${location.pathname}`;
  const load = () => { try { return JSON.parse(sessionStorage.getItem(store())) || {}; } catch { return {}; } };
  const save = (all) => {
    const text = JSON.stringify(all);
    if (text.length > MOST) return;
    if (text === "{}") sessionStorage.removeItem(store()); else sessionStorage.setItem(store(), text);
  };

  const forms = () => [...document.querySelectorAll("#shell form")].filter((f) => addressOf(f) && !f.matches("[data-unheld], .clash form, [hx-trigger]"));
  const addressOf = (form) => (form.getAttribute("hx-post") || (form.getAttribute("method") === "post" && form.getAttribute("action")) || "").split("?")[0];
  // Which form it is: where it sends to, and what it hides about its thing. A form may name which of its hidden fields
  // say that; one with an id is the only one of its kind and hides what changes in it.
  const keyOf = (form) => {
    const named = form.dataset.about ? form.dataset.about.split(" ") : form.getAttribute("id") ? [] : null;
    const tells = (e) => e.type === "hidden" && e.name && (named ? named.includes(e.name) : !FREE.includes(e.name));
    return JSON.stringify([addressOf(form), [...form.elements].filter(tells).map((e) => [e.name, e.value])]);
  };
  const fieldsOf = (form) => {
    const seen = {};
    return [...form.elements].filter((e) => e.name && e.matches("input, select, textarea") && !PLAIN.includes(e.type) && !e.disabled && !e.readOnly).map((e) => {
      const own = ["checkbox", "radio"].includes(e.type) ? `${e.name}=${e.value}` : e.name;
      seen[own] = (seen[own] || 0) + 1;
      return [`${own}#${seen[own]}`, e];
    });
  };
  const ticked = (e) => ["checkbox", "radio"].includes(e.type);
  const holds = (e) => ticked(e) ? (e.checked ? "on" : "off") : e.multiple ? JSON.stringify([...e.selectedOptions].map((o) => o.value)) : e.value;
  // What is saved: what the page showed, or said it would have shown.
  const saved = (e) => {
    if (e.dataset.now !== undefined) return e.dataset.now;
    if (ticked(e)) return e.defaultChecked ? "on" : "off";
    if (e.tagName !== "SELECT") return e.defaultValue;
    const chosen = [...e.options].filter((o) => o.defaultSelected);
    return e.multiple ? JSON.stringify(chosen.map((o) => o.value)) : chosen.length ? chosen[chosen.length - 1].value : e.options.length ? e.options[0].value : "";
  };
  const put = (e, value) => {
    if (ticked(e)) e.checked = value === "on";
    else if (e.multiple) for (const o of e.options) o.selected = JSON.parse(value).includes(o.value);
    else e.value = value;
  };

  // The saved value of a list tells only once the page has drawn it; browsers give the first option where none is said.
  const unsent = (form) => fieldsOf(form).filter(([, e]) => holds(e) !== saved(e));

  const mark = (form) => {
    const open = unsent(form);
    for (const [, e] of fieldsOf(form)) {
      const is = open.some(([, o]) => o === e);
      e.classList.toggle("is-unsent", is);
      if (is) e.setAttribute("aria-description", "typed, not saved yet"); else e.removeAttribute("aria-description");
    }
    let note = form.querySelector(":scope > .unsent");
    if (!open.length) { if (note) note.remove(); return; }
    if (!note) {
      note = document.createElement("span");
      note.className = "unsent";
      const words = document.createElement("span"), back = document.createElement("button");
      words.textContent = "not saved yet";
      back.type = "button"; back.className = "put-back"; back.textContent = "put back";
      note.append(words, back);
      form.append(note);
    }
  };

  // What was sent and taken is no draft any more, whatever the page asks for or the browser says before it is drawn again.
  let gone = [];
  const keep = (form) => {
    const all = load(), key = keyOf(form);
    const sent = gone.find((g) => isOf(key, g.path, g.sent));
    const open = unsent(form).filter(([, e]) => !sent || isLater(e, sent.sent));
    delete all[key];
    if (open.length) all[key] = Object.fromEntries(open.map(([name, e]) => [name, holds(e)]));
    save(all);
  };

  const give = (tell) => {
    const all = load();
    for (const form of forms()) {
      const key = keyOf(form), kept = all[key];
      if (kept) {
        const fields = Object.fromEntries(fieldsOf(form));
        for (const [name, value] of Object.entries(kept)) {
          const e = fields[name];
          if (!e || holds(e) === value) continue;
          if (e.tagName === "SELECT" && !e.multiple && ![...e.options].some((o) => o.value === value)) continue;
          put(e, value);
          if (tell) e.dispatchEvent(new Event(ticked(e) || e.tagName === "SELECT" ? "change" : "input", { bubbles: true }));
        }
      }
      keep(form);
      mark(form);
    }
  };

  const isOf = (key, path, sent) => {
    const [address, about] = JSON.parse(key);
    return address === path && about.every(([name, value]) => sent.getAll(name).includes(value));
  };
  // Whether a field was written in after its form was sent.
  const isLater = (e, sent) => ticked(e) ? e.checked !== sent.getAll(e.name).includes(e.value)
    : e.multiple ? JSON.stringify([...e.selectedOptions].map((o) => o.value)) !== JSON.stringify(sent.getAll(e.name)) : !sent.getAll(e.name).includes(e.value);
  const drop = (path, sent) => {
    const all = load();
    for (const key of Object.keys(all)) if (isOf(key, path, sent)) delete all[key];
    save(all);
  };

  let pressed = false, later = 0;
  document.addEventListener("pointerdown", () => { pressed = true; }, true);
  for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, () => { pressed = false; }, true);
  // Told a moment later, so that nothing moves under a finger on its way to the button.
  const markSoon = (form) => {
    clearTimeout(later);
    later = setTimeout(() => (pressed || document.querySelector(".htmx-request") ? markSoon(form) : form.isConnected && mark(form)), 500);
  };
  const held = (event) => {
    const form = event.target.form;
    return form && event.target.name && forms().includes(form) && !PLAIN.includes(event.target.type) ? form : null;
  };
  document.addEventListener("input", (event) => { const form = held(event); if (form) keep(form); });
  document.addEventListener("change", (event) => { const form = held(event); if (form) { keep(form); markSoon(form); } });
  document.addEventListener("click", (event) => {
    const back = event.target.closest && event.target.closest(".put-back");
    if (back) {
      const form = back.form || back.closest("form");
      for (const [, e] of unsent(form)) { put(e, saved(e)); delete e.dataset.now; e.dispatchEvent(new Event("change", { bubbles: true })); }
      keep(form);
      mark(form);
      const first = fieldsOf(form)[0];
      if (first) first[1].focus();
    }
    const leave = event.target.closest && event.target.closest("[data-drops-unsent]");
    if (leave) { const form = leave.closest("form"); drop(addressOf(form), new FormData(form)); }
  }, true);

  document.addEventListener("htmx:beforeOnLoad", (event) => {
    const { xhr, requestConfig } = event.detail;
    if (requestConfig.verb !== "post" || xhr.status < 200 || xhr.status > 299) return;
    const path = requestConfig.path.split("?")[0], sent = requestConfig.formData || new FormData();
    drop(path, sent);
    gone.push({ path, sent, xhr });
    for (const form of forms()) if (isOf(keyOf(form), path, sent)) keep(form);
  });
  // What a drawing or a device wrote into a field counts as typed too.
  document.addEventListener("htmx:beforeSwap", () => { for (const form of forms()) keep(form); });
  document.addEventListener("htmx:afterSwap", (event) => {
    // Drawn again for it: from here on the form begins anew.
    gone = gone.filter((g) => g.xhr !== event.detail.xhr);
    give(false);
  });
  // Who is signed out while typing comes back to the page, to what was typed, and is told so. A calculation is no draft of
  // anything: it is sent again as it stood.
  const LEFT = () => `elmpeg-left:${document.body.dataset.person}:${location.pathname}`;
  document.addEventListener("htmx:beforeOnLoad", (event) => {
    if (event.detail.xhr.status !== 401) return;
    for (const form of forms()) keep(form);
    const reckon = document.querySelector("form[data-reckon]");
    const stood = reckon ? [...new FormData(reckon)].filter(([name, value]) => !FREE.includes(name) && typeof value === "string") : [];
    try { sessionStorage.setItem(LEFT(), JSON.stringify(stood)); } catch { /* What does not fit is not kept. */ }
  });
  const back = () => {
    const left = sessionStorage.getItem(LEFT());
    if (left === null) return;
    sessionStorage.removeItem(LEFT());
    const stood = JSON.parse(left), reckon = document.querySelector("form[data-reckon]");
    if (stood.length && reckon) {
      const values = {};
      for (const [name, value] of stood) values[name] = name in values ? [].concat(values[name], value) : value;
      htmx.ajax("POST", reckon.getAttribute("hx-post"), { source: reckon, target: "#shell", swap: "morph:outerHTML", values }).then(told);
    }
    if (document.querySelector("#shell .unsent")) told();
  };
  const told = () => {
    const note = document.createElement("p");
    note.className = "notice";
    note.setAttribute("role", "status");
    note.textContent = "Signed in again. What you had typed is here, and not saved yet.";
    document.getElementById("main").prepend(note);
    document.getElementById("announce").textContent = note.textContent;
  };
  // Not before every script listens: some draw what is typed.
  window.addEventListener("load", () => { give(true); back(); });
})();
