// Centre lines picked in a view: a tap sets one end of the line in its fields, and the server draws what they say, to scale.
(() => {
  const form = () => document.getElementById("line-form");
  const field = (name) => form().querySelector(`[name="${name}"]`);
  const write = (input, value) => { input.value = value; input.dispatchEvent(new Event("input", { bubbles: true })); };
  const redraw = () => htmx.trigger("#line-pick", "picked");
  const text = (svg, mm) => { const unit = Number(svg.dataset.unit); return String(Number((mm / unit).toFixed(unit === 1 ? 1 : 4))); };
  const place = (svg, event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    const px = Number(svg.dataset.pxPerMm), [left, , , top] = svg.dataset.window.split(",").map(Number);
    return { x: at.x, y: at.y, mm: [left + at.x / px, top - at.y / px] };
  };
  const snapped = (svg, mm) => { const step = Number(svg.dataset.snap); return Math.round(mm / step) * step; };
  const sheet = (event) => event.target.closest && event.target.closest("#line-pick svg.is-line-pick");

  // What an end is set to. A place keeps what the view does not show, else takes it from the other end.
  const set = (svg, which, to) => {
    const select = field(`line_${which}`);
    if (to.node || to.point) write(select, to.node ? `node:${to.node}` : `point:${to.point}`);
    else {
      const was = svg.dataset[which].split(","), other = svg.dataset[which === "start" ? "end" : "start"].split(",");
      [..."xyz"].forEach((axis, k) => {
        const seen = svg.dataset.axes.indexOf(axis), input = field(`line_${which}_${axis}`);
        if (seen >= 0) write(input, text(svg, snapped(svg, to.mm[seen])));
        else if (select.value && was[k]) write(input, text(svg, Number(was[k])));
        else if (!input.value.trim() && other[k]) write(input, text(svg, Number(other[k])));
      });
      write(select, "");
    }
    field("line_last").value = which;
    redraw();
  };

  let hand = null;
  document.addEventListener("pointerdown", (event) => {
    const svg = sheet(event);
    if (!svg || event.button > 0) return;
    const held = event.target.closest("[data-mark], [data-node]");
    hand = { svg, id: event.pointerId, start: place(svg, event), held, moved: false };
    if (held) { svg.setPointerCapture(event.pointerId); event.preventDefault(); }
  });
  document.addEventListener("pointermove", (event) => {
    if (!hand || event.pointerId !== hand.id || !hand.held) return;
    const now = place(hand.svg, event), dx = now.x - hand.start.x, dy = now.y - hand.start.y;
    if (!hand.moved && Math.hypot(dx, dy) < 6) return;
    hand.moved = true;
    hand.held.setAttribute("transform", `translate(${dx} ${dy})`);
  });
  document.addEventListener("pointercancel", () => { if (hand && hand.held) hand.held.removeAttribute("transform"); hand = null; });
  document.addEventListener("pointerup", (event) => {
    if (!hand || event.pointerId !== hand.id) return;
    const { svg, held, moved, start } = hand, now = place(svg, event);
    hand = null;
    if (Math.hypot(now.x - start.x, now.y - start.y) >= 6 && !moved) return;
    if (moved && held.dataset.mark) set(svg, held.dataset.mark, { mm: now.mm });
    else if (moved) moveNode(svg, held.dataset.node, start, now);
    else {
      const point = event.target.closest("[data-point]") || document.elementFromPoint(event.clientX, event.clientY).closest("[data-point]");
      const which = form().querySelector("[name=line_next]:checked").value;
      set(svg, which, held && held.dataset.node ? { node: held.dataset.node } : point ? { point: point.dataset.point } : { mm: now.mm });
      if (which === "start") form().querySelector("[name=line_next][value=end]").checked = true;
    }
  });
  const moveNode = (svg, node, start, now) => {
    const own = document.getElementById("node-form"), by = { x: 0, y: 0, z: 0 };
    [...svg.dataset.axes].forEach((axis, k) => { by[axis] = snapped(svg, now.mm[k] - start.mm[k]); });
    own.querySelector("[name=node]").value = node;
    for (const axis of "xyz") own.querySelector(`[name=by_${axis}]`).value = text(svg, by[axis]);
    for (const name of ["view", "zoom"]) own.querySelector(`[name=${name}]`).value = field(name).value;
    own.requestSubmit();
  };

  document.addEventListener("click", (event) => {
    const button = event.target.closest && event.target.closest("#line-pick [data-view], #line-pick [data-zoom]");
    if (!button) return;
    const name = button.dataset.view ? "view" : "zoom";
    field(name).value = button.dataset[name];
    redraw();
  });
  document.addEventListener("change", (event) => {
    if (event.target.closest && event.target.closest("#line-form .line-end") && event.target.name !== "line_next") redraw();
  });
})();
