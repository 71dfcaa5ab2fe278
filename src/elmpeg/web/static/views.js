// The Bay's large view: drag a part, drag the paper, zoom, and the same by keys.
// Sizes come from the drawing itself (data-px-per-mm); nothing is computed about the build here.
(() => {
  const AXES = { side: ["x", "z"], plan: ["x", "y"], rear: ["y", "z"] };
  const TURN = { side: "pitch", plan: "yaw", rear: "roll" };
  const stage = () => document.getElementById("stage");
  const large = () => document.querySelector(".sheet.is-main svg.view");
  const mmOf = { mm: 1, in: 25.4 };

  const stepMm = () => {
    const [amount, unit] = stage().dataset.step.split(" ");
    const [top, bottom] = amount.split("/");
    return (Number(top) / Number(bottom || 1)) * mmOf[unit];
  };
  const values = () => Object.fromEntries(new FormData(document.getElementById("state")));
  const ask = (verb, url, extra) =>
    htmx.ajax(verb, url, { source: stage(), target: "#shell", swap: "morph:outerHTML", values: { ...values(), ...extra } });

  // Screen pixels to drawing units, at the drawing's present size on screen.
  const perScreenPixel = (svg) => {
    const box = svg.viewBox.baseVal, rect = svg.getBoundingClientRect();
    return 1 / Math.min(rect.width / box.width, rect.height / box.height);
  };

  let settle;
  const redrawSoon = (svg) => {
    clearTimeout(settle);
    settle = setTimeout(() => {
      const box = svg.viewBox.baseVal, px = Number(svg.dataset.pxPerMm);
      const [left, , , top] = svg.dataset.window.split(",").map(Number);
      const l = left + box.x / px, t = top - box.y / px;
      const window_ = [l, t - box.height / px, l + box.width / px, t].map((v) => v.toFixed(1)).join(",");
      ask("GET", stage().dataset.bayUrl, { window: window_ });
    }, 350);
  };
  const zoom = (svg, factor, at) => {
    const box = svg.viewBox.baseVal;
    const x = at ? at.x : box.x + box.width / 2, y = at ? at.y : box.y + box.height / 2;
    box.x = x + (box.x - x) * factor; box.y = y + (box.y - y) * factor;
    box.width *= factor; box.height *= factor;
    redrawSoon(svg);
  };
  const inDrawing = (svg, event) => {
    const point = new DOMPoint(event.clientX, event.clientY);
    return point.matrixTransform(svg.getScreenCTM().inverse());
  };

  let drag = null;
  const pointers = new Map();

  document.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest && event.target.closest(".sheet.is-main svg.view");
    if (!svg || event.button > 0 || !stage()) return;
    pointers.set(event.pointerId, event);
    if (pointers.size > 1) { drag = null; return; }
    const label = event.target.closest("[data-check]");
    const group = event.target.closest("[data-assembly]");
    const part = group && group.classList.contains("is-chosen") && stage().dataset.mayMove === "yes" ? group : null;
    drag = { svg, part, label, group, start: event, moved: false, view: svg.dataset.view, shift: [0, 0], box: { x: svg.viewBox.baseVal.x, y: svg.viewBox.baseVal.y } };
    svg.setPointerCapture(event.pointerId);
  });

  document.addEventListener("pointermove", (event) => {
    const before = pointers.get(event.pointerId);
    if (!before) return;
    if (pointers.size === 2) {
      const svg = large(), [a, b] = [...pointers.values()];
      const other = a.pointerId === event.pointerId ? b : a;
      const was = Math.hypot(before.clientX - other.clientX, before.clientY - other.clientY);
      const is = Math.hypot(event.clientX - other.clientX, event.clientY - other.clientY);
      if (was > 10 && is > 10) zoom(svg, was / is, inDrawing(svg, { clientX: (event.clientX + other.clientX) / 2, clientY: (event.clientY + other.clientY) / 2 }));
      pointers.set(event.pointerId, event);
      return;
    }
    pointers.set(event.pointerId, event);
    if (!drag) return;
    const scale = perScreenPixel(drag.svg);
    const dx = (event.clientX - drag.start.clientX) * scale, dy = (event.clientY - drag.start.clientY) * scale;
    if (!drag.moved && Math.hypot(dx, dy) < 5 * scale) return;
    drag.moved = true;
    if (drag.part) {
      const px = Number(drag.svg.dataset.pxPerMm), step = stepMm();
      drag.shift = [Math.round(dx / px / step) * step, Math.round(-dy / px / step) * step];
      drag.part.setAttribute("transform", `translate(${drag.shift[0] * px} ${-drag.shift[1] * px})`);
      const caption = document.getElementById("drag-words");
      const [u, v] = AXES[drag.view];
      const inches = stage().dataset.unit === "in";
      const said = (mm) => (inches ? `${(mm / 25.4).toFixed(3)} in` : `${mm.toFixed(1)} mm`).replace("-", "−");
      caption.textContent = `${u.toUpperCase()} ${said(drag.shift[0])}, ${v.toUpperCase()} ${said(drag.shift[1])}`;
    } else {
      drag.svg.viewBox.baseVal.x = drag.box.x - dx;
      drag.svg.viewBox.baseVal.y = drag.box.y - dy;
    }
  });

  const drop = (event) => {
    pointers.delete(event.pointerId);
    if (!drag || event.pointerId !== drag.start.pointerId) return;
    const done = drag;
    drag = null;
    if (event.type === "pointercancel") { if (done.part) done.part.removeAttribute("transform"); return; }
    if (!done.moved) {
      if (done.label) ask("GET", stage().dataset.bayUrl, { check: done.label.dataset.check });
      else if (done.group && !done.group.classList.contains("is-fixed") && !done.group.classList.contains("is-chosen"))
        ask("GET", stage().dataset.bayUrl, { part: done.group.dataset.assembly });
      return;
    }
    if (!done.part) { redrawSoon(done.svg); return; }
    const [u, v] = AXES[done.view];
    if (done.shift[0] || done.shift[1])
      // A drag that was refused left the part where it was, and its drawing is not sent again.
      ask("POST", stage().dataset.moveUrl, { do: "drag", [`d${u}_mm`]: done.shift[0], [`d${v}_mm`]: done.shift[1] })
        .then(() => done.part.removeAttribute("transform"));
    else done.part.removeAttribute("transform");
  };
  document.addEventListener("pointerup", drop);
  document.addEventListener("pointercancel", drop);

  document.addEventListener("wheel", (event) => {
    const svg = event.target.closest && event.target.closest(".sheet.is-main svg.view");
    if (!svg) return;
    event.preventDefault();
    zoom(svg, event.deltaY > 0 ? 1.12 : 1 / 1.12, inDrawing(svg, event));
  }, { passive: false });

  const zoomBy = (how) => {
    const svg = large();
    if (!svg) return;
    if (how === "all") ask("GET", stage().dataset.bayUrl, { window: "" });
    else zoom(svg, how === "in" ? 1 / 1.3 : 1.3);
  };
  document.addEventListener("click", (event) => {
    const button = event.target.closest && event.target.closest("[data-zoom]");
    if (button) zoomBy(button.dataset.zoom);
  });

  const press = (freedom, way) => {
    const button = document.querySelector(`.knob[data-freedom="${freedom}"] [data-way="${way}"]`);
    if (button && !button.disabled) button.click();
  };
  const KEYS = { ArrowRight: [0, "plus"], ArrowLeft: [0, "minus"], ArrowUp: [1, "plus"], ArrowDown: [1, "minus"] };
  // Only where the large view or the move panel has the focus: a letter typed anywhere else moves nothing. A key that is held
  // down is one move, and one step of undo.
  const acts = (event) => {
    const place = event.target.closest && event.target.closest("#stage, .move");
    return place && !event.target.matches("input, select, textarea") && document.body.dataset.keys === "yes";
  };
  document.addEventListener("keydown", (event) => {
    if (!stage() || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || !acts(event)) return;
    const svg = large(), view = svg && svg.dataset.view, key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    if (!view) return;
    const moves = key in KEYS || key === "q" || key === "e";
    if (moves && event.repeat) { event.preventDefault(); return; }
    if (key in KEYS) {
      const [axis, way] = KEYS[key];
      press(AXES[view][axis], way);
    } else if (key === "q" || key === "e") {
      // Q turns the drawing's part anticlockwise as it is seen, E clockwise.
      const anticlockwise = view === "side" ? "minus" : "plus", clockwise = view === "side" ? "plus" : "minus";
      press(TURN[view], key === "q" ? anticlockwise : clockwise);
    } else if ("123".includes(key)) {
      const wanted = ["side", "plan", "rear"][Number(key) - 1];
      const button = document.querySelector(`[data-view-key="${wanted}"]`);
      if (button) button.click();
    } else if (key === "+" || key === "=") zoomBy("in");
    else if (key === "-") zoomBy("out");
    else if (key === "0") zoomBy("all");
    else return;
    event.preventDefault();
  });
})();
