// Shapes by hand: drawing and dragging in a view writes the form's fields; the server draws what they say, to scale.
(() => {
  const form = () => document.getElementById("shape-form");
  const fields = () => document.getElementById("shape-fields");
  const unit = () => Number(form().dataset.unit), step = () => Number(form().dataset.step);
  const axes = () => [...form().dataset.axes];
  const snapped = (mm) => Math.round(mm / step()) * step();
  const text = (mm) => { const v = mm / unit(); return String(Number(v.toFixed(unit() === 1 ? 1 : 4))); };
  const input = (name) => form().querySelector(`[name="${name}"]`);
  // A figure as people type it: decimals, fractions, with a unit or in the form's own. NaN for what only the server can read.
  const figure = (words) => {
    const found = /^(-|\u2212)?\s*(?:(\d+(?:[.,]\d+)?)(?:[\s-]+(?=\d+\/))?)?(?:(\d+)\/(\d+))?\s*(mm|cm|m|in|"|)$/.exec(words.trim());
    if (!found || (!found[2] && !found[3])) return NaN;
    const amount = Number((found[2] || "0").replace(",", ".")) + (found[3] ? Number(found[3]) / Number(found[4]) : 0);
    const per = { mm: 1, cm: 10, m: 1000, in: 25.4, '"': 25.4 }[found[5]] || unit();
    return (found[1] ? -amount : amount) * per;
  };
  const read = (name, otherwise) => (input(name).value.trim() === "" ? otherwise : figure(input(name).value));
  const write = (name, mm) => { if (!Number.isNaN(mm)) input(name).value = text(mm); };
  const lines = (name) => input(name).value.split("\n").filter((l) => l.trim()).map((l) => l.split(l.includes(";") ? ";" : /\s+/).map(figure));
  const writeLines = (name, rows) => { if (!rows.flat().some(Number.isNaN)) input(name).value = rows.map((r) => r.map(text).join("; ")).join("\n"); };
  const tell = () => htmx.trigger(fields(), "drawn");
  const place = (svg, event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    const px = Number(svg.dataset.pxPerMm), [left, , , top] = svg.dataset.window.split(",").map(Number);
    return { x: at.x, y: at.y, u: left + at.x / px, v: top - at.y / px };
  };
  const third = () => ["x", "y", "z"].find((a) => !axes().includes(a));

  // A box, cylinder, tube or outline as the fields say it, changed by what the hand did.
  const setBox = (a, b) => {
    axes().forEach((axis, i) => {
      const low = Math.min(a[i], b[i]), high = Math.max(a[i], b[i]);
      write(`centre_mm_${axis}`, (low + high) / 2); write(`size_mm_${axis}`, Math.max(high - low, step()));
    });
    const other = third();
    if (!input(`centre_mm_${other}`).value.trim()) write(`centre_mm_${other}`, 0);
    if (!input(`size_mm_${other}`).value.trim()) write(`size_mm_${other}`, 100);
  };
  const boxCorners = () => {
    const [low, high] = [-1, 1].map((s) => axes().map((a) => read(`centre_mm_${a}`, 0) + (s * read(`size_mm_${a}`, 0)) / 2));
    return [low, [high[0], low[1]], high, [low[0], high[1]]];
  };
  const setEnd = (name, at) => {
    axes().forEach((axis, i) => write(`${name}_${axis}`, at[i]));
    if (!input(`${name}_${third()}`).value.trim()) write(`${name}_${third()}`, 0);
  };
  const index = (axis) => "xyz".indexOf(axis);
  const addCorner = (at) => {
    const kind = form().dataset.kind;
    if (kind === "extrusion") {
      writeLines("outline_mm", [...lines("outline_mm"), at]);
      if (!input("from_mm").value.trim()) { write("from_mm", -50); write("to_mm", 50); }
    } else {
      const rows = lines("path_mm"), last = rows[rows.length - 1] || [0, 0, 0], corner = [...last];
      axes().forEach((axis, i) => { corner[index(axis)] = at[i]; });
      writeLines("path_mm", [...rows, corner]);
      if (!input("diameter_mm").value.trim()) write("diameter_mm", 20);
    }
    tell();
  };
  const shift = (by) => {
    const kind = form().dataset.kind, [a, b] = axes();
    const move = (name) => { write(`${name}_${a}`, read(`${name}_${a}`, 0) + by[0]); write(`${name}_${b}`, read(`${name}_${b}`, 0) + by[1]); };
    if (kind === "box") move("centre_mm");
    if (kind === "cylinder") { move("start_mm"); move("end_mm"); }
    if (kind === "tube") writeLines("path_mm", lines("path_mm").map((r) => { const c = [...r]; c[index(a)] += by[0]; c[index(b)] += by[1]; return c; }));
    if (kind === "extrusion") {
      const seen = { side: ["x", "z"], plan: ["x", "y"], rear: ["y", "z"] }[input("view").value];
      const along = { [a]: by[0], [b]: by[1] };
      writeLines("outline_mm", lines("outline_mm").map((r) => [r[0] + (along[seen[0]] || 0), r[1] + (along[seen[1]] || 0)]));
      const depth = ["x", "y", "z"].find((axis) => !seen.includes(axis));
      if (along[depth]) { write("from_mm", read("from_mm", 0) + along[depth]); write("to_mm", read("to_mm", 0) + along[depth]); }
    }
  };
  const handle = (k, at) => {
    const kind = form().dataset.kind;
    if (kind === "box") { const c = boxCorners(); setBox(c[(k + 2) % 4], at); }
    if (kind === "cylinder") setEnd(k ? "end_mm" : "start_mm", at);
    if (kind === "tube") { const rows = lines("path_mm"); axes().forEach((axis, i) => { rows[k][index(axis)] = at[i]; }); writeLines("path_mm", rows); }
    if (kind === "extrusion") { const rows = lines("outline_mm"); rows[k] = at; writeLines("outline_mm", rows); }
  };

  let hand = null;
  const sheet = (event) => event.target.closest && event.target.closest(".draw-sheet svg.is-large");
  document.addEventListener("pointerdown", (event) => {
    const svg = sheet(event);
    if (!svg || event.button > 0) return;
    const at = place(svg, event);
    hand = {
      svg, start: at, now: at, moved: false, id: event.pointerId,
      handle: event.target.closest("[data-handle]"), body: event.target.closest(".in-hand"), shape: event.target.closest("[data-shape]"),
    };
    svg.setPointerCapture(event.pointerId);
    event.preventDefault();
  });
  document.addEventListener("pointermove", (event) => {
    if (!hand || event.pointerId !== hand.id) return;
    hand.now = place(hand.svg, event);
    const dx = hand.now.x - hand.start.x, dy = hand.now.y - hand.start.y;
    if (!hand.moved && Math.hypot(dx, dy) < 4) return;
    hand.moved = true;
    if (!form()) return;
    if (hand.handle) hand.handle.setAttribute("transform", `translate(${dx} ${dy})`);
    else if (hand.body) hand.body.setAttribute("transform", `translate(${dx} ${dy})`);
    else if (form().dataset.new && ["box", "cylinder"].includes(form().dataset.kind)) {
      if (!hand.rubber) {
        hand.rubber = document.createElementNS("http://www.w3.org/2000/svg", form().dataset.kind === "box" ? "rect" : "line");
        hand.rubber.setAttribute("class", "rubber"); hand.svg.append(hand.rubber);
      }
      const { x, y } = hand.start, r = hand.rubber;
      const given = form().dataset.kind === "box"
        ? { x: Math.min(x, hand.now.x), y: Math.min(y, hand.now.y), width: Math.abs(dx), height: Math.abs(dy) } : { x1: x, y1: y, x2: hand.now.x, y2: hand.now.y };
      for (const [name, value] of Object.entries(given)) r.setAttribute(name, value);
    }
  });
  document.addEventListener("pointerup", (event) => {
    if (!hand || event.pointerId !== hand.id) return;
    const done = hand, kind = form() && form().dataset.kind;
    hand = null;
    if (done.rubber) done.rubber.remove();
    const from = [snapped2(done.start.u), snapped2(done.start.v)], to = [snapped2(done.now.u), snapped2(done.now.v)];
    if (!done.moved) {
      if (form() && form().dataset.new && ["extrusion", "tube"].includes(kind)) addCorner(to);
      else if (done.shape) {
        const link = document.querySelector(`.is-shapes-list a[href*="shape=${CSS.escape(done.shape.dataset.shape)}"]`);
        if (link) link.click();
      }
      return;
    }
    if (!form()) return;
    if (done.handle) { handle(Number(done.handle.dataset.handle), to); tell(); }
    else if (done.body) { shift([snapped2(done.now.u - done.start.u), snapped2(done.now.v - done.start.v)]); tell(); }
    else if (form().dataset.new && kind === "box") { setBox(from, to); tell(); }
    else if (form().dataset.new && kind === "cylinder") {
      setEnd("start_mm", from); setEnd("end_mm", to);
      if (!input("diameter_mm").value.trim()) write("diameter_mm", 50);
      tell();
    }
  });
  const snapped2 = (mm) => (form() ? snapped(mm) : mm);
  document.addEventListener("pointercancel", () => { if (hand && hand.rubber) hand.rubber.remove(); hand = null; });

  // The other view is drawn in next; what is typed goes along.
  document.addEventListener("click", (event) => {
    const swap = event.target.closest && event.target.closest("[data-view-to]");
    if (!swap || !form()) return;
    event.preventDefault();
    const to = swap.dataset.viewTo;
    form().querySelector("[name=large]").value = to;
    form().dataset.axes = { side: "xz", plan: "xy", rear: "yz" }[to];
    tell();
  });
  document.addEventListener("change", (event) => {
    if (event.target.dataset && event.target.dataset.goes) location.href = event.target.dataset.goes + encodeURIComponent(event.target.value);
  });

  // Places in a photograph: a click fills the next row that has none; a mark is dragged by picking its row first.
  const marks = () => {
    const svg = document.getElementById("photo-view");
    if (!svg) return;
    const own = document.getElementById(svg.dataset.form), group = document.getElementById("photo-marks");
    group.replaceChildren();
    const size = svg.viewBox.baseVal.width / 60;
    for (let k = 0; own.querySelector(`[name=px_${k}_x]`); k += 1) {
      const x = own.querySelector(`[name=px_${k}_x]`).value, y = own.querySelector(`[name=px_${k}_y]`).value;
      if (!x || !y) continue;
      const g = document.createElementNS("http://www.w3.org/2000/svg", "g");
      g.setAttribute("class", "photo-mark");
      g.setAttribute("transform", `translate(${x} ${y})`);
      for (const [name, a] of [["circle", { r: size / 2 }], ["line", { x1: -size, x2: size, y1: 0, y2: 0 }], ["line", { y1: -size, y2: size, x1: 0, x2: 0 }]]) {
        const e = document.createElementNS("http://www.w3.org/2000/svg", name);
        for (const [key, value] of Object.entries(a)) e.setAttribute(key, value);
        g.append(e);
      }
      const t = document.createElementNS("http://www.w3.org/2000/svg", "text");
      t.setAttribute("x", size); t.setAttribute("y", -size / 2); t.setAttribute("font-size", size * 1.4); t.textContent = String(k + 1);
      g.append(t); group.append(g);
    }
  };
  let row = null;
  document.addEventListener("focusin", (event) => {
    const found = /^(?:px|at)_(\d)_/.exec(event.target.name || "");
    if (found) row = Number(found[1]);
  });
  document.addEventListener("click", (event) => {
    const svg = event.target.closest && event.target.closest("#photo-view");
    if (!svg) return;
    const own = document.getElementById(svg.dataset.form);
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    let k = row;
    if (k === null || (own.querySelector(`[name=px_${k}_x]`) || {}).value) { k = 0; while (own.querySelector(`[name=px_${k}_x]`) && own.querySelector(`[name=px_${k}_x]`).value) k += 1; }
    if (row !== null && !own.querySelector(`[name=px_${k}_x]`)) k = row;
    const x = own.querySelector(`[name=px_${k}_x]`);
    if (!x) return;
    x.value = at.x.toFixed(1); own.querySelector(`[name=px_${k}_y]`).value = at.y.toFixed(1);
    row = null;
    marks();
    own.querySelector(`[name=at_${k}_u]`).focus({ preventScroll: true });
    row = null;
  });
  document.addEventListener("input", (event) => { if (/^px_/.test(event.target.name || "")) marks(); });
  document.addEventListener("htmx:afterSettle", marks);
  document.addEventListener("DOMContentLoaded", marks);
})();
