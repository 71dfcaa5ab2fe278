// A calculation answers while it is typed in. What is wrong is told beside its field; what stands in the example is marked
// until somebody writes over it; the measure of the field in hand stands out in the drawing.
(() => {
  const form = () => document.getElementById("reckon");
  let hand = null, waiting = 0;

  const ask = () => { clearTimeout(waiting); waiting = setTimeout(() => form() && htmx.trigger(form(), "reckon"), 180); };

  const touched = (field) => {
    const kept = form().querySelector("[name=touched]"), name = field.name.replace(/^f\./, "");
    if (!kept || !field.name.startsWith("f.")) return;
    const all = new Set(kept.value.split(",").filter(Boolean));
    all.add(name);
    kept.value = [...all].join(",");
    field.classList.remove("is-example");
    field.removeAttribute("title");
    const came = form().querySelector(`[data-came="${CSS.escape(name)}"]`), taken = form().querySelector(`[name="t.${CSS.escape(name)}"]`);
    if (came && taken) came.hidden = taken.value !== field.value;
  };

  document.addEventListener("input", (event) => {
    if (!form() || !form().contains(event.target)) return;
    if (event.target.matches("[data-frames]")) return frame(event.target);
    if (event.target.name && /^(f\.|length_tool|angle_tool)/.test(event.target.name)) { touched(event.target); ask(); }
  });
  document.addEventListener("change", (event) => {
    if (form() && form().contains(event.target) && event.target.matches("[data-reshapes]")) form().querySelector(".is-first").click();
  });

  const frame = (slider) => {
    const svg = document.querySelector(".reckon-drawing svg"), words = JSON.parse(document.getElementById("frame-words").textContent);
    svg.querySelectorAll("[data-frame]").forEach((e) => e.classList.toggle("is-off", e.dataset.frame !== slider.value));
    document.querySelector("[data-frame-words]").textContent = words[slider.value];
    slider.setAttribute("aria-valuetext", words[slider.value]);
  };

  const point = () => {
    document.querySelectorAll(".view.is-figure [data-field]").forEach((e) => {
      e.classList.toggle("is-in-hand", !!hand && (e.dataset.field === hand || e.dataset.field.replace(/\.\d+$/, "") === hand.replace(/\.\d+$/, "") && /\.\d+$/.test(hand)));
    });
  };
  document.addEventListener("focusin", (event) => {
    if (!form()) return;
    const field = event.target.closest && event.target.closest("#reckon [data-field][name]");
    if (field) {
      hand = field.dataset.field;
      form()._last = field;
      const fill = form().querySelector("[name=fill_field]");
      if (fill) { const own = [...fill.options].find((o) => o.value === hand); if (own) fill.value = hand; }
    }
    point();
  });

  const refusals = () => {
    const told = document.getElementById("reckon-errors");
    if (!told || !form()) return;
    const errors = JSON.parse(told.textContent);
    form().querySelectorAll("[data-error-for]").forEach((e) => {
      const message = errors[e.dataset.errorFor] || "";
      e.textContent = message; e.hidden = !message;
      const field = form().querySelector(`[name="f.${CSS.escape(e.dataset.errorFor)}"]`);
      if (field) { if (message) field.setAttribute("aria-invalid", "true"); else field.removeAttribute("aria-invalid"); }
    });
  };
  document.addEventListener("htmx:afterSettle", () => { refusals(); point(); });

  // Paper is made by the browser's own sending of the form, in a page of its own.
  document.addEventListener("click", (event) => {
    const button = event.target.closest && event.target.closest("[data-native]");
    if (!button || !form()) return;
    event.preventDefault();
    event.stopPropagation();
    const twin = document.createElement("form");
    twin.method = "post"; twin.action = button.formAction; twin.target = "_blank"; twin.hidden = true;
    for (const [name, value] of new FormData(form())) {
      const field = document.createElement("textarea");
      field.name = name; field.value = value; twin.append(field);
    }
    document.body.append(twin);
    twin.submit();
    twin.remove();
  }, true);

  // A doubt is written behind the figure in hand; the sign is on few keyboards.
  document.addEventListener("mousedown", (event) => { if (event.target.closest && event.target.closest("[data-inserts]")) event.preventDefault(); });
  document.addEventListener("click", (event) => {
    const button = event.target.closest && event.target.closest("[data-inserts]");
    if (!button || !form()) return;
    // With no field in hand it is meant for the first figure.
    const last = form()._last, field = last && last.isConnected && last.matches("input") ? last : form().querySelector(".reckon-fields input.figure[data-field]");
    if (!field) return;
    field.focus();
    field.value = field.value.replace(/\s*±.*$/, "") + button.dataset.inserts;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
})();
