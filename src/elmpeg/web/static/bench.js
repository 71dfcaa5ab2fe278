// Readings that devices send go into the field that has the focus, or last had it.
(() => {
  let field = null, source = null;
  const takes = (element) => element && element.matches && element.matches("input[data-takes]:not([disabled])");
  const here = () => (takes(document.activeElement) ? document.activeElement : field && field.isConnected ? field : null);
  const say = (words) => {
    const place = document.getElementById("trouble");
    if (!place) return;
    place.textContent = words;
    place.hidden = false;
    clearTimeout(say.timer);
    say.timer = setTimeout(() => { place.hidden = true; }, 6000);
  };

  document.addEventListener("focusin", (event) => { if (takes(event.target)) field = event.target; });
  // The simulated devices' buttons stand for a thumb on the device; they leave the focus where it is.
  document.addEventListener("mousedown", (event) => { if (event.target.closest && event.target.closest("[data-keeps-focus]")) event.preventDefault(); });

  const arrived = (reading) => {
    const place = here();
    if (reading.battery_low) say(`${reading.device}: battery low, ${Math.round(reading.battery_pct)} %`);
    if (!place) { say(`${reading.device} sent ${reading.text}; go to a field first and send again`); return; }
    if (place.dataset.takes !== reading.kind) {
      say(`${reading.device} sent ${reading.text}, and this field wants ${place.dataset.takes === "deg" ? "an angle" : "a length"}`);
      return;
    }
    place.value = reading.text;
    place.classList.add("is-fresh");
    setTimeout(() => place.classList.remove("is-fresh"), 1200);
    const tools = place.form && place.form.querySelector("select[data-tools]");
    if (tools && [...tools.options].some((o) => o.value === reading.tool && !o.disabled)) { tools.value = reading.tool; tools.dispatchEvent(new Event("change", { bubbles: true })); }
    place.dispatchEvent(new Event("input", { bubbles: true }));
  };

  const wanted = () => document.visibilityState === "visible" && document.querySelector("[data-takes]");
  const listen = () => {
    if (wanted() && !source) {
      source = new EventSource("/stream");
      source.addEventListener("reading", (event) => arrived(JSON.parse(event.data)));
      source.addEventListener("open", () => document.body.setAttribute("data-devices", "listening"));
    } else if (!wanted() && source) {
      source.close();
      source = null;
      document.body.removeAttribute("data-devices");
    }
  };
  document.addEventListener("visibilitychange", listen);
  window.addEventListener("pagehide", () => { if (source) source.close(); source = null; });
  window.addEventListener("pageshow", listen);

  const sendLine = async () => {
    const line = document.getElementById("bench-line");
    if (!line) return;
    line.remove();
    const answer = await fetch(line.dataset.to, {
      method: "POST",
      headers: { Authorization: `Bearer ${line.dataset.token}`, "Content-Type": "application/json" },
      body: line.dataset.line,
    });
    if (!answer.ok) { const said = await answer.json(); say(`The device's line was refused: ${said.errors[0].message}`); }
  };
  document.addEventListener("htmx:load", listen);
  document.addEventListener("htmx:afterSettle", sendLine);
  document.addEventListener("DOMContentLoaded", listen);
  listen();
})();
