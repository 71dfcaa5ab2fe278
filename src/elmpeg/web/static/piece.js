// Corners and holes of a piece's own, dragged in its drawing or moved with the arrow keys; what moves is written into its field.
(() => {
  const STEPS = { mm: 1, in: 1 / 16 }, MM = { mm: 1, in: 25.4 };
  let held = null;
  const drawing = (e) => e.target.closest("[data-piece-drawing]");
  const rows = (area) => area.value.split("\n");
  const field = (kind) => document.querySelector(kind === "corner" ? "[data-corners]" : "[data-holes]");
  const figure = (v, unit) => (unit === "in" ? v.toFixed(4) : v.toFixed(2)).replace(/\.?0+$/, "") || "0";

  function written(handle, x, y, unit) {
    const area = field(handle.dataset.kind);
    if (!area) return;
    const lines = rows(area), filled = lines.map((l, i) => [l, i]).filter(([l]) => l.trim());
    const at = filled[Number(handle.dataset.n)];
    if (!at) return;
    const corner = handle.dataset.kind === "corner";
    const parts = corner ? at[0].trim().split(/[\s;]+/) : at[0].split(";").map((p) => p.trim());
    const first = corner ? 0 : 1;
    parts[first] = figure(x / MM[unit], unit);
    parts[first + 1] = figure(y / MM[unit], unit);
    lines[at[1]] = parts.join(corner ? " " : "; ");
    area.value = lines.join("\n");
    area.closest("details").open = true;
    area.dispatchEvent(new Event("input", { bubbles: true }));
  }

  function put(handle, x, y) {
    const svg = handle.ownerSVGElement, scale = Number(svg.dataset.pxPerMm);
    const dx = (x - Number(handle.dataset.x)) * scale, dy = -(y - Number(handle.dataset.y)) * scale;
    handle.setAttribute("cx", Number(handle.getAttribute("cx")) + dx);
    handle.setAttribute("cy", Number(handle.getAttribute("cy")) + dy);
    handle.dataset.x = x; handle.dataset.y = y;
  }

  const snapped = (v, unit) => { const step = STEPS[unit] * MM[unit]; return Math.round(v / step) * step; };

  document.addEventListener("pointerdown", (e) => {
    const handle = e.target.closest?.(".handle");
    if (!handle || !drawing(e)) return;
    held = { handle, unit: drawing(e).dataset.per, x: e.clientX, y: e.clientY, mm: [Number(handle.dataset.x), Number(handle.dataset.y)] };
    handle.setPointerCapture(e.pointerId);
    e.preventDefault();
  });
  document.addEventListener("pointermove", (e) => {
    if (!held) return;
    const svg = held.handle.ownerSVGElement, m = svg.getScreenCTM(), scale = Number(svg.dataset.pxPerMm) * m.a;
    const x = snapped(held.mm[0] + (e.clientX - held.x) / scale, held.unit), y = snapped(held.mm[1] - (e.clientY - held.y) / scale, held.unit);
    put(held.handle, x, y);
    written(held.handle, x, y, held.unit);
  });
  for (const name of ["pointerup", "pointercancel"]) document.addEventListener(name, () => { held = null; });
  document.addEventListener("keydown", (e) => {
    const handle = e.target.closest?.(".handle"), way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    if (!handle || !way || !drawing(e)) return;
    const unit = drawing(e).dataset.per, step = STEPS[unit] * MM[unit];
    const x = snapped(Number(handle.dataset.x) + way[0] * step, unit), y = snapped(Number(handle.dataset.y) + way[1] * step, unit);
    put(handle, x, y);
    written(handle, x, y, unit);
    e.preventDefault();
  });
})();
