// What is wrong with how a page stands: text too small or cut off, targets too small, things wider than their place.
() => {
  const found = [];
  // Each element is asked once how it stands, however many questions are asked about it.
  const standing = new Map();
  const shownAt = (e) => {
    if (!standing.has(e)) standing.set(e, stands(e));
    return standing.get(e);
  };
  const stands = (e) => {
    if (e.closest("[hidden], .is-sr-only, datalist, template, noscript, script, style, option")) return null;
    if (e.closest("details:not([open])") && !e.closest("summary")) return null;
    const r = e.getBoundingClientRect(), s = getComputedStyle(e);
    return r.width > 1 && r.height > 1 && s.visibility !== "hidden" && s.display !== "none" && Number(s.opacity) > 0.05 ? r : null;
  };
  const words = (e) => (e.getAttribute("aria-label") || e.textContent || e.name || "").trim().replace(/\s+/g, " ").slice(0, 50);
  const where = (e) => `${e.tagName.toLowerCase()}${e.id ? "#" + e.id : ""}.${String(e.getAttribute("class") || "").split(" ").slice(0, 2).join(".")} in ${(e.closest("[class]:not(svg *)")?.parentElement?.closest("[class]")?.getAttribute("class") || "").split(" ").slice(0, 2).join(".")} “${words(e)}”`;
  const tell = (kind, e, more = "") => found.push([kind, where(e), String(more)]);

  // Text, drawings included, no smaller than 12 px on the screen.
  for (const e of document.querySelectorAll("body *")) {
    if (![...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim()) || !shownAt(e)) continue;
    let size = parseFloat(getComputedStyle(e).fontSize);
    if (e instanceof SVGElement && e.getScreenCTM) { const m = e.getScreenCTM(); if (m) size *= Math.hypot(m.b, m.d); }
    if (size < 11.95) tell("small text", e, size.toFixed(1));
  }
  // Nothing wider than the window; nothing that hides its own text without saying it elsewhere.
  if (document.documentElement.scrollWidth > innerWidth + 1) tell("wider than the window", document.documentElement, document.documentElement.scrollWidth);
  for (const e of document.querySelectorAll("main, .top")) if (e.scrollWidth > e.clientWidth + 1) tell("scrolls sideways", e, `${e.scrollWidth} in ${e.clientWidth}`);
  const within = (e) => { for (let p = e.parentElement; p; p = p.parentElement) { const o = getComputedStyle(p).overflowX; if (["auto", "scroll"].includes(o) && p.tagName !== "MAIN") return true; } return false; };
  for (const e of document.querySelectorAll("body *:not(svg *)")) {
    const r = shownAt(e), s = r && getComputedStyle(e);
    if (!r || ["inline", "contents"].includes(s.display) || e.matches("select, option, svg, html, body")) continue;
    const own = [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    if (own && e.scrollWidth > e.clientWidth + 1 && e.clientWidth > 0 && !["auto", "scroll"].includes(s.overflowX)) {
      const said = e.closest("[title]") || e.querySelector("[title]");
      if (s.overflowX !== "visible" ? !said : true) tell("cut off", e, `${e.scrollWidth} in ${e.clientWidth}`);
    }
    if (r.right > innerWidth + 1 && !within(e) && !e.closest(".menu-body, .asked-drawing")) tell("beyond the right edge", e, r.right.toFixed(0));
  }
  // Labels of a drawing lie on no other.
  for (const svg of document.querySelectorAll("svg.view")) {
    const boxes = [...svg.querySelectorAll("g.label")].filter(shownAt).map((e) => [e, e.querySelector("rect")?.getBoundingClientRect()]).filter(([, r]) => r);
    for (const [e] of boxes) {
      const text = e.querySelector("text"), long = text ? text.getComputedTextLength() : 0, room = Number(e.querySelector("rect").getAttribute("width"));
      if (long > room - 2) tell("words wider than their label", e, `${long.toFixed(0)} in ${room}`);
    }
    boxes.forEach(([e, r], k) => boxes.slice(0, k).forEach(([o, q]) => {
      const across = Math.min(r.right, q.right) - Math.max(r.left, q.left), down = Math.min(r.bottom, q.bottom) - Math.max(r.top, q.top);
      if (across > 2 && down > 2) tell("labels lie on each other", e, `${words(o)} by ${across.toFixed(0)} × ${down.toFixed(0)}`);
    }));
  }
  // What a list or an empty field says fits in it.
  const ruler = document.createElement("canvas").getContext("2d");
  const wide = (text, s) => { ruler.font = `${s.fontStyle} ${s.fontWeight} ${s.fontSize} ${s.fontFamily}`; return ruler.measureText(text).width; };
  for (const e of document.querySelectorAll("select:not([multiple]), input[placeholder]")) {
    if (!shownAt(e)) continue;
    const s = getComputedStyle(e), text = e.tagName === "SELECT" ? (e.selectedOptions[0]?.textContent || "").trim() : e.value ? "" : e.placeholder;
    const room = e.clientWidth - parseFloat(s.paddingLeft) - parseFloat(s.paddingRight);
    const p = e.tagName === "SELECT" ? s : getComputedStyle(e, "::placeholder");
    const cut = wide(text.replace(/\s+/g, " "), p) - room;
    if (cut > 1.5 && !e.title) tell(e.tagName === "SELECT" ? "list cut off" : "hint cut off", e, `${text} by ${cut.toFixed(0)}`);
  }
  // Words are whole, but for names that are longer than any word.
  for (const e of document.querySelectorAll(".button, .tabs-row a, td, th")) {
    if (!shownAt(e) || e.matches("td, th") && e.querySelector("table, form, svg, .several")) continue;
    const s = getComputedStyle(e), room = e.clientWidth - parseFloat(s.paddingLeft) - parseFloat(s.paddingRight);
    const words = e.innerText.split(/[\s\-·/]+/).filter((word) => word.length < 24);
    const longest = Math.max(0, ...words.map((word) => wide(word, s)));
    if (longest > room * (e.matches("td, th") ? 1.1 : 1) + 1.5 && s.whiteSpace !== "nowrap" && !e.title) tell("word broken", e, `${longest.toFixed(0)} in ${room.toFixed(0)}`);
  }
  // Nothing stands out of its column, and what is typed in can be read.
  for (const e of document.querySelectorAll("table, form, figure, fieldset, .fields, .panel-form, .input, .select")) {
    const r = shownAt(e), place = e.parentElement;
    if (!r || within(e) || ["absolute", "fixed"].includes(getComputedStyle(e).position) || place.matches("label, .is-sr-only, body")) continue;
    if (r.right > place.getBoundingClientRect().right + 2) tell("wider than its place", e, `${r.right.toFixed(0)} in ${place.getBoundingClientRect().right.toFixed(0)}`);
  }
  for (const e of document.querySelectorAll("input:not([type]), input[type=text], input[type=number], input[type=search]")) {
    if (!shownAt(e)) continue;
    const s = getComputedStyle(e), room = e.clientWidth - parseFloat(s.paddingLeft) - parseFloat(s.paddingRight);
    if (room < wide("000", s) - 0.5) tell("narrow field", e, room.toFixed(0));
  }
  // Targets: 44 px, in the rows of a table 24 px with room; links in a line of text are as high as the line.
  const TARGETS = "button, a[href], input:not([type=hidden]), select, textarea, summary, [role=button]";
  for (const e of document.querySelectorAll(TARGETS)) {
    const r = shownAt(e);
    if (!r || e.disabled || e.closest(".skip") || e.matches("[tabindex='-1']") && !e.matches(".swap")) continue;
    if (e.matches("svg a")) continue;
    const line = e.tagName === "A" && getComputedStyle(e).display.startsWith("inline") && !["inline-flex", "inline-grid"].includes(getComputedStyle(e).display);
    if (line) continue;
    const label = e.matches("[type=checkbox], [type=radio]") && e.closest("label"), box = label ? label.getBoundingClientRect() : r;
    const least = e.closest("td, th, dd, .unsent") ? 24 : 44;
    if (box.height < least - 0.6 || (box.width < least - 0.6)) tell("small target", e, `${box.width.toFixed(0)} × ${box.height.toFixed(0)}`);
  }
  // What is pressed or filled in stands out from its ground: its border, or itself, by 3:1.
  const rgb = (text) => (text.match(/[\d.]+/g) || []).map(Number);
  const lum = (c) => { const [r, g, b] = c.map((v) => { v /= 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; }); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
  const contrast = (a, b) => { const [x, y] = [lum(a), lum(b)].sort((p, q) => q - p); return (x + 0.05) / (y + 0.05); };
  const behind = (n) => { for (; n; n = n.parentElement) { const c = rgb(getComputedStyle(n).backgroundColor); if (c.length === 3 || c[3] > 0.99) return c.slice(0, 3); } return [255, 255, 255]; };
  for (const e of document.querySelectorAll(".button:not([disabled]), .input, .textarea, select")) {
    if (!shownAt(e) || e.disabled || e.readOnly || e.type === "file") continue;
    const s = getComputedStyle(e), ground = behind(e.parentElement);
    const edges = ["Top", "Bottom"].filter((side) => parseFloat(s[`border${side}Width`]) >= 1).map((side) => contrast(rgb(s[`border${side}Color`]).slice(0, 3), ground));
    if (Math.max(contrast(behind(e), ground), ...edges) < 3) tell("faint edge", e, edges.map((x) => x.toFixed(2)).join(" "));
  }
  // Labels of a drawing are not under what floats over it.
  for (const sheet of document.querySelectorAll(".sheet")) {
    const over = [...sheet.querySelectorAll(".axle-travel, .zoom, .frames")].filter((e) => shownAt(e) && ["absolute", "fixed"].includes(getComputedStyle(e).position));
    for (const label of sheet.querySelectorAll("svg text")) {
      const a = shownAt(label);
      for (const one of a ? over : []) { const b = one.getBoundingClientRect(); if (a.left < b.right - 1 && a.right > b.left + 1 && a.top < b.bottom - 1 && a.bottom > b.top + 1) tell("label under a control", label, one.className); }
    }
  }
  return found;
}
