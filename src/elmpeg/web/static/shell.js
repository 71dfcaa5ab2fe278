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

// What was refused is brought into sight, out of a folded part of the page if need be.
(() => {
  document.addEventListener("htmx:afterSettle", () => {
    const first = document.querySelector("main .field-error");
    if (!first || first.dataset.seen) return;
    for (const one of document.querySelectorAll(".field-error")) one.dataset.seen = "1";
    for (let fold = first.closest("details:not([open])"); fold; fold = fold.parentElement.closest("details:not([open])")) fold.open = true;
    first.scrollIntoView({ block: "center" });
  });
})();
