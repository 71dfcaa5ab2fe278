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
