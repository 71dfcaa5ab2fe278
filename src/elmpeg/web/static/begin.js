// A part of a form that only counts for one choice is shown with it.
(() => {
  const apply = () => {
    for (const select of document.querySelectorAll("select[data-shows]")) {
      const part = document.getElementById(select.dataset.shows);
      if (part) part.hidden = select.value !== select.dataset.shownBy;
    }
  };
  document.addEventListener("change", apply);
  document.addEventListener("htmx:afterSettle", apply);
  document.addEventListener("DOMContentLoaded", apply);
})();

// Places and shapes picked in a view fill the form's fields; what is typed and what is picked are the same thing.
(() => {
  const turn = new WeakMap();
  document.addEventListener("click", (event) => {
    const svg = event.target.closest && event.target.closest(".pick-sheet svg");
    if (!svg) return;
    const pick = svg.closest("#pick"), form = svg.closest("form");
    const places = svg.closest("[data-pick]"), shapes = svg.closest("[data-pick-shapes]");
    if (places && form) {
      const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const px = Number(svg.dataset.pxPerMm), [left, , , top] = svg.dataset.window.split(",").map(Number);
      const mm = [left + at.x / px, top - at.y / px], unit = Number(pick.dataset.unit);
      [...pick.dataset.axes].forEach((axis, i) => {
        const field = form.querySelector(`[name="${places.dataset.pick}${axis}"]`);
        if (field) { field.value = String(Number((Math.round(mm[i]) / unit).toFixed(unit === 1 ? 0 : 3))); field.dispatchEvent(new Event("input", { bubbles: true })); }
      });
      svg.querySelectorAll(".picked").forEach((e) => e.remove());
      const mark = document.createElementNS("http://www.w3.org/2000/svg", "circle");
      for (const [k, v] of [["cx", at.x], ["cy", at.y], ["r", 7], ["class", "picked"]]) mark.setAttribute(k, v);
      svg.append(mark);
    }
    const shape = event.target.closest("[data-shape]");
    if (shapes && shape && form) {
      const names = shapes.dataset.pickShapes.split(" "), k = turn.get(shapes) || 0;
      form.querySelector(`[name="${names[k]}_on"]`).value = shape.dataset.on;
      form.querySelector(`[name="${names[k]}_solid"]`).value = shape.dataset.shape;
      svg.querySelectorAll(`.is-picked-${k}`).forEach((e) => e.classList.remove(`is-picked-${k}`));
      shape.classList.add(`is-picked-${k}`);
      turn.set(shapes, (k + 1) % names.length);
    }
  });
})();

// A button that also sets a field; and places picked on a mesh, whose third coordinate the server knows.
(() => {
  document.addEventListener("click", (event) => {
    const button = event.target.closest && event.target.closest("[data-sets]");
    if (button && button.form) {
      const [name, value] = [button.dataset.sets.split("=")[0], button.dataset.sets.split("=").slice(1).join("=")];
      button.form.querySelector(`[name="${name}"]`).value = value;
      if (name === "turns" || name === "unit") for (const field of button.form.querySelectorAll("[name^=pick_]")) field.value = "";
    }
  }, true);
  document.addEventListener("click", async (event) => {
    const svg = event.target.closest && event.target.closest("[data-mesh-pick] svg.is-large"), form = document.getElementById("mesh-form");
    if (!svg || !form) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    const px = Number(svg.dataset.pxPerMm), [left, , , top] = svg.dataset.window.split(",").map(Number);
    const asked = new URLSearchParams({ u: String(left + at.x / px), v: String(top - at.y / px) });
    for (const name of ["import", "unit", "turns", "view"]) asked.set(name, form.querySelector(`[name="${name}"]`).value);
    const answer = await fetch(`${svg.closest("[data-mesh-pick]").dataset.meshPick}?${asked}`);
    const words = answer.ok ? await answer.text() : "";
    const row = [...form.querySelectorAll("[name^=pick_]")].find((field) => !field.value);
    if (!words || !row) return;
    row.value = words;
    const mark = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    for (const [k, v] of [["cx", at.x], ["cy", at.y], ["r", 7], ["class", "picked"]]) mark.setAttribute(k, v);
    svg.append(mark);
    form.querySelector(`[name="${row.name.replace("pick_", "to_")}_x"]`).focus({ preventScroll: true });
  });
})();
