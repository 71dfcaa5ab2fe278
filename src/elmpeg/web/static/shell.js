// What every page needs: word of trouble, a session that has ended, and undo by keys.
(() => {
  const trouble = () => document.getElementById("trouble");
  const say = (words) => {
    const place = trouble();
    if (!place) return;
    place.textContent = words;
    place.hidden = false;
    clearTimeout(say.timer);
    say.timer = setTimeout(() => { place.hidden = true; }, 9000);
  };

  document.addEventListener("htmx:responseError", (event) => {
    if (event.detail.elt && event.detail.elt.id === "here") return;
    const page = new DOMParser().parseFromString(event.detail.xhr.responseText || "", "text/html");
    const words = page.querySelector("h1");
    say(`Not saved. ${words ? words.textContent : "The server refused it."} What you typed is still here.`);
  });
  document.addEventListener("htmx:sendError", (event) => {
    if (event.detail.elt && event.detail.elt.id === "here") return;
    say("Not saved: no connection to the server. What you typed is still here; try again when it is back.");
  });

  document.addEventListener("keydown", (event) => {
    const typing = event.target.closest && event.target.closest("input, textarea, select");
    if (!typing && (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      const button = document.getElementById(event.shiftKey ? "redo" : "undo");
      if (button && !button.disabled) { event.preventDefault(); button.click(); }
    }
    if (event.key === "Escape") {
      const menu = document.querySelector("details.menu[open]");
      if (menu) { menu.open = false; menu.querySelector("summary").focus(); }
    }
  });
  // A menu that is left closes.
  document.addEventListener("focusout", (event) => {
    const menu = event.target.closest && event.target.closest("details.menu[open]");
    if (menu && event.relatedTarget && !menu.contains(event.relatedTarget)) menu.open = false;
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest && event.target.closest("[data-print]")) window.print();
  });
  document.addEventListener("pointerdown", (event) => {
    const menu = document.querySelector("details.menu[open]");
    if (menu && !menu.contains(event.target)) menu.open = false;
  });
})();

// A slider in somebody's hand keeps its place while the page follows a step behind.
(() => {
  const moved = new WeakMap();
  const slider = (element) => element && element.matches && element.matches("input[type=range]");
  document.addEventListener("input", (event) => { if (slider(event.target)) moved.set(event.target, event.target.value); }, true);
  document.addEventListener("focusout", (event) => { if (slider(event.target)) moved.delete(event.target); });
  document.addEventListener("htmx:afterSwap", () => {
    const held = document.activeElement;
    if (slider(held) && moved.has(held)) held.value = moved.get(held);
  });
})();

// What was refused is brought into sight and takes the focus, out of a folded part of the page if need be; else the focus
// stays where it was, although the page was drawn again.
(() => {
  const FOCUSABLE = "a[href], button, input, select, textarea, summary, [tabindex]";
  let had = null;
  const words = (e) => (e.getAttribute("aria-label") || e.textContent || "").trim().replace(/\s+/g, " ");
  const about = (e) => {
    const form = e.closest("form");
    return {
      id: e.id, name: e.getAttribute("name"), tag: e.tagName, words: words(e), value: e.type === "radio" ? e.value : "",
      form: form && (form.getAttribute("hx-post") || form.id || ""), hidden: form ? [...form.querySelectorAll("input[type=hidden]:not([name=base])")].map((h) => h.value).join("|") : "",
      place: [...(function* up() { for (let p = e.parentElement; p && p.id !== "shell"; p = p.parentElement) if (p.id) yield p.id; })()],
    };
  };
  const alike = (e, it) => {
    if (it.id) return e.id === it.id;
    const now = about(e);
    if (now.tag !== it.tag || now.form !== it.form || now.hidden !== it.hidden) return false;
    return it.name ? now.name === it.name && now.value === it.value && (now.tag !== "BUTTON" || now.words === it.words) : now.words === it.words;
  };
  // Another answer may come between a swap that took the focus away and the moment it is given back.
  const remember = () => { const e = document.activeElement; if (e && e !== document.body) had = e.closest("#shell") ? about(e) : null; };
  const giveBack = () => {
    if (!had) return;
    const e = document.activeElement;
    // What has just been switched off or folded away has the focus until the next frame, and then nobody has.
    if (e && e !== document.body && e.isConnected && !e.disabled && e.checkVisibility()) { had = null; return; }
    const it = had;
    had = null;
    const there = (id) => document.getElementById(id);
    const same = (it.id && there(it.id)) || [...document.querySelectorAll(`#shell ${it.tag.toLowerCase()}`)].find((one) => alike(one, it));
    const near = it.place.map(there).find(Boolean);
    const fits = (e) => e && !e.disabled && e.checkVisibility();
    const folded = same && same.closest("details:not([open])");
    const target = fits(same) ? same : folded ? folded.querySelector("summary")
      : near && [near.matches(FOCUSABLE) ? near : null, ...near.querySelectorAll(FOCUSABLE)].find(fits) || there("main");
    if (target) target.focus({ preventScroll: true });
  };
  document.addEventListener("htmx:beforeSwap", remember);
  const refused = () => {
    const first = document.querySelector("#shell [aria-invalid=true][aria-describedby]") || document.querySelector("#shell .field-error[tabindex], #shell .refused[role=alert]");
    if (!first || first.dataset.seen) return false;
    for (const one of document.querySelectorAll("[aria-invalid=true], .field-error, .refused")) one.dataset.seen = "1";
    for (let fold = first.closest("details:not([open])"); fold; fold = fold.parentElement.closest("details:not([open])")) fold.open = true;
    if (!first.matches(FOCUSABLE)) first.tabIndex = -1;
    first.focus({ preventScroll: true });
    first.scrollIntoView({ block: "center" });
    return true;
  };
  document.addEventListener("htmx:afterSettle", () => { if (refused()) had = null; else giveBack(); });
  document.addEventListener("DOMContentLoaded", refused);
  // On a narrow screen the stages stand in a strip; the one that is open is in sight.
  document.addEventListener("DOMContentLoaded", () => {
    const here = document.querySelector(".spine .is-here");
    if (here) here.scrollIntoView({ block: "nearest", inline: "center" });
  });
})();

// Folds that somebody opened stay open when the page is drawn again; what asks something takes the focus and is read out.
(() => {
  const FOLDS = "#shell details:not(.menu)";
  const named = (fold, seen) => {
    const summary = fold.querySelector(":scope > summary"), words = (summary ? summary.textContent : "").trim().replace(/\s+/g, " ").replace(/\d+/g, "#");
    seen[words] = (seen[words] || 0) + 1;
    return `${words}|${seen[words]}`;
  };
  const folds = () => { const seen = {}; return [...document.querySelectorAll(FOLDS)].map((fold) => [named(fold, seen), fold]); };
  let open = null, where = "", asked = false;
  document.addEventListener("htmx:beforeSwap", () => {
    where = location.pathname;
    open = new Set(folds().filter(([, fold]) => fold.open).map(([name]) => name));
    asked = Boolean(document.querySelector("#shell [data-asks]"));
  });
  document.addEventListener("htmx:afterSwap", () => {
    if (open && where === location.pathname) for (const [name, fold] of folds()) if (open.has(name)) fold.open = true;
    open = null;
    const asks = document.querySelector("#shell [data-asks]");
    if (!asks || asked) return;
    asks.focus({ preventScroll: true });
    asks.scrollIntoView({ block: "center" });
    document.getElementById("announce").textContent = asks.textContent.trim().replace(/\s+/g, " ");
  });
})();

// Links that only show the same page otherwise do so in place: what is typed, the focus and the scroll stay.
(() => {
  document.addEventListener("click", (event) => {
    const link = event.target.closest && event.target.closest("#shell :is(.tabs-row, .leanings, [data-here]) a[href^='?']");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
    event.preventDefault();
    history.replaceState(history.state, "", link.href);
    htmx.ajax("GET", link.href, { source: document.body, target: "#shell", swap: "morph:outerHTML" });
  });
})();

// A long list is one stop for the Tab key; arrows move within it.
(() => {
  const STOPS = "a[href], button:not([disabled]), select, input:not([type=hidden])";
  const groups = () => document.querySelectorAll("#shell [data-arrows]");
  const stopsOf = (group) => [...group.querySelectorAll(STOPS)].filter((e) => e.offsetParent !== null && e.closest("[data-arrows]") === group);
  const settle = () => {
    for (const group of groups()) {
      const stops = stopsOf(group);
      const here = stops.find((e) => e === document.activeElement) || stops.find((e) => e.matches("[aria-current], [aria-expanded=true], .is-on")) || stops[0];
      for (const e of stops) e.tabIndex = e === here ? 0 : -1;
    }
  };
  document.addEventListener("focusin", (event) => {
    const group = event.target.closest && event.target.closest("[data-arrows]");
    if (group) for (const e of stopsOf(group)) e.tabIndex = e === event.target ? 0 : -1;
  });
  document.addEventListener("keydown", (event) => {
    const group = event.target.closest && event.target.closest("[data-arrows]");
    if (!group || event.ctrlKey || event.altKey || event.metaKey || event.target.matches("select, input")) return;
    const stops = stopsOf(group), at = stops.indexOf(event.target);
    const to = { ArrowDown: at + 1, ArrowRight: at + 1, ArrowUp: at - 1, ArrowLeft: at - 1, Home: 0, End: stops.length - 1 }[event.key];
    if (at < 0 || to === undefined) return;
    event.preventDefault();
    const next = stops[Math.max(0, Math.min(stops.length - 1, to))];
    next.focus();
    next.scrollIntoView({ block: "nearest", inline: "nearest" });
  });
  // What scrolls and has nothing to stop at inside can itself be reached by keys.
  const scrolling = () => {
    for (const e of document.querySelectorAll("#shell :is(main, section, .row-scroll, ol, ul)")) {
      const needs = e.scrollHeight > e.clientHeight + 1 && ["auto", "scroll"].includes(getComputedStyle(e).overflowY) && !e.querySelector(`${STOPS}, summary, textarea, [tabindex="0"]`);
      if (needs && !e.hasAttribute("tabindex")) { e.tabIndex = 0; e.dataset.scrolls = "1"; } else if (!needs && e.dataset.scrolls) { e.removeAttribute("tabindex"); delete e.dataset.scrolls; }
    }
  };
  let later = 0;
  const soon = () => { clearTimeout(later); later = setTimeout(scrolling, 100); };
  for (const name of ["DOMContentLoaded", "htmx:afterSettle", "toggle"]) document.addEventListener(name, () => { settle(); soon(); }, true);
  window.addEventListener("resize", scrolling);
})();

// What changed is said as well as shown: how it stands now, what was refused or kept, and what others did.
(() => {
  let last = "", news = "";
  const tell = () => {
    const place = document.getElementById("announce");
    if (!place) return;
    const said = [...document.querySelectorAll("#shell .notice[role=status], #shell [data-said]")].map((e) => (e.dataset.said || e.textContent).trim().replace(/\s+/g, " ")).filter(Boolean);
    const errors = [...document.querySelectorAll("#shell .field-error, #shell .refused p, #shell .clash h2")].map((e) => e.textContent.trim());
    const words = [...errors, ...said].join(" ");
    if (words && words !== last) place.textContent = words;
    last = words;
  };
  document.addEventListener("DOMContentLoaded", () => { last = [...document.querySelectorAll("#shell [data-said]")].map((e) => e.dataset.said).join(" "); });
  document.addEventListener("htmx:afterSettle", (event) => {
    const there = document.querySelector("#here .news");
    const now = there ? there.textContent.trim() : "";
    if (now && now !== news) document.getElementById("announce").textContent = now;
    news = now;
    if (!(event.detail.elt && event.detail.elt.id === "here")) tell();
  });
})();

// Words in a drawing are never smaller on the screen than they can be read; words that are cut off say themselves in full.
(() => {
  const LEAST_PX = 12.1, SMALLEST_IN_DRAWING_PX = 13;
  // Labels grown to be read are moved off each other, the gravest staying where it is; their leaders follow.
  const GAP = 3, FARTHEST = 6;
  const apart = (svg, larger) => {
    const labels = [...svg.querySelectorAll("g.label")], leaders = [...svg.querySelectorAll("line.leader.label")], placed = [];
    const edge = svg.viewBox.baseVal;
    labels.forEach((label, k) => {
      const r = label.querySelector("rect");
      if (!r) return;
      const w = r.width.baseVal.value * larger, h = r.height.baseVal.value * larger;
      const left = r.x.baseVal.value + (r.width.baseVal.value - w) / 2, top = r.y.baseVal.value + (r.height.baseVal.value - h) / 2;
      const tries = [];
      for (let i = -FARTHEST; i <= FARTHEST; i++) for (const j of [0, -0.5, 0.5, -1, 1]) tries.push([j * (w + GAP), i * (h + GAP) / 2]);
      tries.sort((a, b) => Math.hypot(...a) - Math.hypot(...b));
      const free = ([dx, dy]) => {
        const x = left + dx, y = top + dy;
        if ((dx || dy) && (x < edge.x || y < edge.y || x + w > edge.x + edge.width || y + h > edge.y + edge.height)) return false;
        return !placed.some((o) => x < o.x + o.w + GAP && o.x < x + w + GAP && y < o.y + o.h + GAP && o.y < y + h + GAP);
      };
      const [dx, dy] = larger > 1.001 ? tries.find(free) || [0, 0] : [0, 0];
      placed.push({ x: left + dx, y: top + dy, w, h });
      label.style.translate = dx || dy ? `${dx.toFixed(1)}px ${dy.toFixed(1)}px` : "";
      const leader = labels.length === leaders.length && leaders[k];
      if (!leader) return;
      leader.dataset.end ??= `${leader.getAttribute("x2")} ${leader.getAttribute("y2")}`;
      const [x2, y2] = leader.dataset.end.split(" ").map(Number), x1 = leader.x1.baseVal.value, y1 = leader.y1.baseVal.value;
      leader.setAttribute("x2", dx || dy ? Math.min(Math.max(x1, left + dx), left + dx + w) : x2);
      leader.setAttribute("y2", dx || dy ? Math.min(Math.max(y1, top + dy), top + dy + h) : y2);
    });
  };
  // How large a drawing stands on the screen is told when it changes; asking for it would lay out the page once more.
  const sizes = new WeakMap();
  const fit = (svg) => {
    const size = sizes.get(svg), box = svg.viewBox.baseVal;
    if (!size || !size.width || !box.width) return;
    const larger = LEAST_PX / (SMALLEST_IN_DRAWING_PX * Math.min(size.width / box.width, size.height / box.height));
    if (larger > 1.001) svg.style.setProperty("--read", larger.toFixed(3)); else svg.style.removeProperty("--read");
    apart(svg, Math.max(larger, 1));
  };
  const watch = new ResizeObserver((changed) => { for (const one of changed) { sizes.set(one.target, one.contentRect); fit(one.target); } });
  const readable = () => { for (const svg of document.querySelectorAll("svg.view")) if (sizes.has(svg)) fit(svg); else watch.observe(svg); };
  const entitle = () => {
    const titled = [];
    for (const e of document.querySelectorAll("#shell *:not(svg *)")) {
      if (e.tagName === "SELECT" ? !e.multiple : e.childElementCount === 0 || e.matches("summary, a, button, h1, h2, h3, label, span, strong, td")) {
        if (e.dataset.cut || !e.title) titled.push(e);
      }
    }
    const cut = titled.map((e) => e.tagName === "SELECT" ? listCut(e) : getComputedStyle(e).textOverflow === "ellipsis" && (e.scrollWidth > e.clientWidth + 1 || e.scrollHeight > e.clientHeight + 2));
    titled.forEach((e, k) => {
      if (cut[k]) { e.title = (e.tagName === "SELECT" ? e.selectedOptions[0].textContent : e.textContent).trim().replace(/\s+/g, " "); e.dataset.cut = "1"; }
      else if (e.dataset.cut) { e.removeAttribute("title"); delete e.dataset.cut; }
    });
  };
  const ruler = document.createElement("canvas").getContext("2d");
  const listCut = (e) => {
    if (!e.clientWidth || !e.selectedOptions[0]) return false;
    const s = getComputedStyle(e);
    ruler.font = `${s.fontWeight} ${s.fontSize} ${s.fontFamily}`;
    return ruler.measureText(e.selectedOptions[0].textContent.trim()).width > e.clientWidth - parseFloat(s.paddingLeft) - parseFloat(s.paddingRight);
  };
  let asked = 0, later = 0;
  // Drawings are readable when they are seen; what is cut off says so a moment after.
  const soon = () => {
    cancelAnimationFrame(asked);
    asked = requestAnimationFrame(readable);
    clearTimeout(later);
    later = setTimeout(entitle, 20);
  };
  window.addEventListener("load", soon);
  window.addEventListener("resize", soon);
  for (const name of ["htmx:afterSwap", "htmx:afterSettle", "change", "toggle"]) document.addEventListener(name, soon, true);
})();

// A form whose answer takes a while says how much of it is sent, and then that it is being worked on.
(() => {
  const of = (event) => event.target.closest?.("form")?.querySelector(".waits");
  const tell = (waits, percent) => {
    waits.hidden = false;
    const bar = waits.querySelector("progress"), words = waits.querySelector("span");
    if (percent < 100) { bar.value = percent; words.textContent = `${waits.dataset.sending}: ${percent} %`; }
    else { bar.removeAttribute("value"); words.textContent = `${waits.dataset.working} …`; }
  };
  document.addEventListener("htmx:beforeRequest", (event) => { const waits = of(event); if (waits) tell(waits, 100); });
  document.addEventListener("htmx:xhr:progress", (event) => {
    const waits = of(event), { lengthComputable, loaded, total } = event.detail;
    if (waits && lengthComputable && total) tell(waits, Math.floor(100 * loaded / total));
  });
  document.addEventListener("htmx:afterRequest", (event) => { const waits = of(event); if (waits) waits.hidden = true; });
})();

// What takes longer than one waits for without a word says so, and for how long by now.
(() => {
  const PATIENCE_MS = 2000, open = new Map();
  const place = () => document.getElementById("working");
  const tell = () => {
    const since = Math.min(...open.values()), waited = Math.round((Date.now() - since) / 1000);
    const long = open.size > 0 && Date.now() - since >= PATIENCE_MS;
    if (!place()) return;
    place().hidden = !long;
    // Said once; the seconds are for those who look.
    const [said, seconds] = place().querySelectorAll("span"), words = long ? "Working it out; nothing is lost." : "";
    if (said.textContent !== words) said.textContent = words;
    if (!long) return;
    seconds.textContent = `${waited} s`;
    // What is read out of a file can be stopped; the form then says so beside its field.
    place().querySelector("button").hidden = ![...open.keys()].some((xhr) => xhr.readsFile);
  };
  document.addEventListener("click", (event) => {
    const stop = event.target.closest?.("[data-stop]");
    if (stop) fetch(stop.dataset.stop, { method: "POST", headers: JSON.parse(document.body.getAttribute("hx-headers")) });
  });
  document.addEventListener("htmx:beforeSend", (event) => {
    if (event.detail.elt && event.detail.elt.id === "here") return;
    event.detail.xhr.readsFile = Boolean(event.detail.elt?.closest?.("form")?.querySelector("input[type=file]")?.files.length);
    open.set(event.detail.xhr, Date.now());
    setTimeout(tell, PATIENCE_MS);
  });
  document.addEventListener("htmx:afterRequest", (event) => { open.delete(event.detail.xhr); tell(); });
  setInterval(() => { if (open.size) tell(); }, 1000);
})();

// An answer may be the parts of the page that changed and no more: each takes the place of the one with its name, and what it
// says is as it was stays. What is asked for says which page is there, and around which part it was pressed.
(() => {
  const shell = () => document.getElementById("shell");
  const before = new Set();
  let gone = false;
  // What stays stands for itself; where another element of its kind came to be held against it, it is written out.
  const stays = (now) => now.dataset && now.dataset.same !== undefined;
  const writtenOut = (now) => {
    const own = document.getElementById(now.id);
    for (const { name, value } of own.attributes) now.setAttribute(name, value);
    now.replaceChildren(...[...own.childNodes].map((child) => child.cloneNode(true)));
    now.removeAttribute("data-same");
    return true;
  };
  const callbacks = {
    beforeNodeMorphed: (there, now) => !stays(now) || (there.id !== now.id && writtenOut(now)),
    beforeNodeAdded: (now) => !stays(now) || writtenOut(now),
  };
  const put = (part) => {
    const there = document.getElementById(part.id);
    const lost = !there || [...part.querySelectorAll("[data-same]")].some((e) => !document.getElementById(e.id));
    if (lost) gone = true; else Idiomorph.morph(there, part, { morphStyle: "outerHTML", callbacks });
  };
  // Where something is not there that should have stayed, the page is asked for whole.
  const again = () => {
    if (!gone) return;
    gone = false;
    shell().dataset.page = "";
    setTimeout(() => htmx.ajax("GET", location.href, { source: document.body, target: "#shell", swap: "morph:outerHTML" }));
  };
  htmx.defineExtension("parts", {
    handleSwap: (style, target, fragment) => {
      const now = fragment.firstElementChild, here = shell();
      if (!now || now.id !== "shell" || !here || target !== here) return false;
      if (here.dataset.base && here.dataset.base !== now.dataset.base) before.add(here.dataset.base);
      if (now.dataset.parts === undefined) {
        if (!now.querySelector("[data-same]")) before.clear();
        put(now);
        again();
        return [shell()];
      }
      const drawn = now.querySelector(":scope > svg[data-drawn]");
      const parts = [...now.children].filter((e) => e !== drawn);
      for (const part of [...parts, ...(drawn ? drawn.children : [])]) put(part);
      for (const name of ["page", "base"]) here.dataset[name] = now.dataset[name];
      for (const field of here.querySelectorAll("input[type=hidden][name=base]")) if (before.has(field.value)) field.value = now.dataset.base;
      again();
      return parts.map((part) => document.getElementById(part.id)).filter(Boolean);
    },
  });
  document.addEventListener("htmx:configRequest", (event) => {
    const { headers, parameters, elt, target } = event.detail, here = shell();
    if (!here || !here.dataset.page) return;
    // An emptied page, and one that goes in another place, is wanted whole.
    if (target === here && here.childElementCount) headers["X-Page"] = here.dataset.page;
    const within = [];
    for (let e = elt; e && e !== here; e = e.parentElement) if (e.id) within.push(e.id);
    headers["X-Within"] = encodeURIComponent(within.join(","));
    // What was not drawn again still bears the revision that it was drawn at.
    if (before.has(String(parameters.base)) && here.dataset.base) parameters.base = here.dataset.base;
  });
})();

// What is handed on begins with the address that this browser reaches the shop by, where the shop itself knows none.
(() => {
  const complete = () => document.querySelectorAll("[data-behind-here]").forEach((e) => {
    e.removeAttribute("data-behind-here");
    e.textContent = location.origin + e.textContent;
  });
  document.addEventListener("DOMContentLoaded", complete);
  document.addEventListener("htmx:afterSettle", complete);
})();

// Signed out in one tab, the others show nothing more either: each asks whether it still may, and leaves where it may not.
(() => {
  if (!window.BroadcastChannel) return;
  const others = new BroadcastChannel("elmpeg");
  document.addEventListener("submit", (event) => {
    if (new URL(event.target.action || location.href, location.href).pathname.startsWith("/sign-out")) others.postMessage("signed out");
  });
  others.onmessage = () => setTimeout(async () => {
    const answer = await fetch(location.href, { redirect: "manual", cache: "no-store" }).catch(() => null);
    if (answer && !answer.ok) location.replace(`/sign-in?next=${encodeURIComponent(location.pathname + location.search)}&left=1`);
  }, 500);
})();
