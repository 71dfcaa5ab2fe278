"""Press to paint, in the browser: the commonest act of a page, from the press until what it changed is on the screen.

Each run moves to where nothing has been. Told beside it: the same with the page's mark forgotten, so that all of it is
exchanged, and a fixed task of the browser, in the same run; a processor four times slower stands for a tablet's.
"""

from __future__ import annotations

import statistics
from collections.abc import Iterator
from dataclasses import dataclass

from playwright.sync_api import Page
from tests.browser.live import Chromium, Live, settled

SLOWED = 4
RUNS = 15
PRESS = """async ([selector, whole]) => {
  const shell = document.getElementById('shell');
  if (whole) shell.dataset.page = '';
  const button = document.querySelector(selector);
  button.focus();
  let body = 0;
  const seen = (e) => { if (e.detail.elt.id !== 'here') body = e.detail.xhr.response.length; };
  document.addEventListener('htmx:beforeSwap', seen);
  const swapped = new Promise((done) => {
    const on = (e) => { if (e.detail.elt.id === 'here') return; document.removeEventListener('htmx:afterSwap', on); done(); };
    document.addEventListener('htmx:afterSwap', on);
  });
  const began = performance.now();
  button.click();
  await swapped;
  // A message that is sent from within a frame comes after that frame is painted.
  await new Promise((done) => requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = done; c.port2.postMessage(0); }));
  const took = performance.now() - began;
  document.removeEventListener('htmx:beforeSwap', seen);
  await new Promise((done) => setTimeout(done, 120));
  return [took, body];
}"""
TASK = """() => {
  const began = performance.now(), box = document.createElement('div');
  box.style.cssText = 'position:absolute;left:-9999px;width:400px';
  document.body.append(box);
  for (let k = 0; k < 400; k++) { const p = document.createElement('p'); p.textContent = 'a line of words ' + k; box.append(p); }
  let total = 0;
  for (const p of box.children) total += p.offsetHeight;
  box.remove();
  return performance.now() - began;
}"""
"""Four hundred paragraphs made, laid out and measured."""
ACTS = (
    ("a move in the Bay", "/builds/cairn-2/bay?option=low&part=engine", '.knob[data-freedom="z"] [data-way="plus"]'),
    ("another order of the checks", "/builds/cairn-2/bay?option=low&part=engine", "#check-list .check-head"),
)


@dataclass(frozen=True)
class Painted:
    """How long an act took until it was painted, ms, the median of some runs; how much was sent for it, characters; and the same
    with all of the page exchanged; beside the browser's own task."""

    name: str
    ms: float
    characters: float
    whole_ms: float
    task_ms: float

    @property
    def told(self) -> str:
        """In a line."""
        return (
            f"{self.name}: {self.ms:.0f} ms to paint, {self.characters / 1000:.0f} kB; all of the page {self.whole_ms:.0f} ms; "
            f"{self.ms / self.task_ms:.1f} of the browser's own task ({self.task_ms:.1f} ms)"
        )


def press_to_paint() -> Iterator[Painted]:
    """Each act, with the processor as it is and slowed."""
    chromium = Chromium()
    live = Live(chromium)
    try:
        for slowed in (1, SLOWED):
            for name, path, selector in ACTS:
                page = live.page("orla")
                page.goto(path)
                settled(page)
                page.wait_for_timeout(500)
                page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": slowed})
                yield _painted(page, name if slowed == 1 else f"{name}, {slowed} times slower", selector)
                page.context.close()
    finally:
        live.close()
        chromium.close()


def _painted(page: Page, name: str, selector: str) -> Painted:
    page.evaluate(PRESS, [selector, False])
    took = [page.evaluate(PRESS, [selector, False]) for _ in range(RUNS)]
    whole = [page.evaluate(PRESS, [selector, True])[0] for _ in range(RUNS)]
    task = statistics.median(page.evaluate(TASK) for _ in range(RUNS))
    return Painted(name, statistics.median(t for t, _ in took), statistics.median(c for _, c in took), statistics.median(whole), task)


if __name__ == "__main__":
    for painted in press_to_paint():
        print(painted.told, flush=True)
