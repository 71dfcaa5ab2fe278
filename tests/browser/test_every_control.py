"""Every control and field of every page, operated once: what it says happens, what was chosen or typed stays, also through leaving the
page and coming back, and the focus is somewhere.

The controls come from the pages themselves, and the pages from the list of routes: one that is new is operated with the
others. A control is one of its kind (where it sends, what it is called, what its form hides) and is operated where it is met first.
What is only sent with its form (its lists, its ticks, what is typed) is sent without a browser too, each choice of it.
"""

import re
import unittest
from urllib.parse import parse_qs, urlsplit

from playwright.sync_api import Error

from elmpeg.core.base.errors import MissingError
from elmpeg.store.revisions import Author
from tests.browser.every_page import pages
from tests.browser.live import OneShopCase, settled, swapped

ORLA = Author(1, "Orla Fennick", "lead")
ENDS_THE_SESSION = ("/sign-out", "/sign-out/everywhere")
LOOKED_AT = "/kit"
"""Shows what controls look like; they are for looking."""
LIST = """() => {
  const is = (e) => e.matches('.is-on, [aria-pressed=true], [aria-current]') || e.type === 'radio' && e.checked;
  const shown = (e) => !e.closest('[hidden], template, #here, .put-back') && !e.disabled && !e.readOnly && !is(e);
  const plain = (address) => (address || '').split('?')[0];
  return [...document.querySelectorAll('#shell :is(button, select, input[type=checkbox], input[type=radio], input[type=range])')].filter(shown).map((e, k) => {
    e.dataset.control = k;
    const form = e.form, vals = e.getAttribute('hx-vals');
    return {
      k, tag: e.tagName, type: e.type, name: e.name || '', value: e.tagName === 'BUTTON' ? e.value : '',
      words: (e.getAttribute('aria-label') || e.textContent || '').trim().replace(/\\s+/g, ' '),
      own: plain(e.getAttribute('hx-get') || e.getAttribute('hx-post') || e.getAttribute('formaction')),
      vals: vals ? JSON.parse(vals) : {},
      choices: e.tagName === 'SELECT' ? [...e.options].filter((o) => !o.disabled).map((o) => o.value) : [], now: e.value, told: e.hasAttribute('hx-replace-url'),
      asks: e.tagName === 'BUTTON' || e.type === 'range' || e.hasAttribute('hx-get') || e.hasAttribute('hx-post') || Boolean(e.closest('[hx-trigger]')) || e.hasAttribute('data-reshapes'),
      form: form ? plain(form.getAttribute('hx-post') || form.getAttribute('hx-get') || form.getAttribute('action')) : '',
      posts: e.hasAttribute('hx-post') || Boolean(form && form.getAttribute('hx-post')), method: form ? (form.getAttribute('hx-post') ? 'post' : form.method) : '',
      hidden: form ? [...form.querySelectorAll('input[type=hidden]')].map((h) => [h.name, h.value]) : [],
      includes: [...document.querySelectorAll(e.getAttribute('hx-include')?.startsWith('#') ? e.getAttribute('hx-include') : 'nothing')]
        .flatMap((f) => [...f.elements].filter((o) => o !== e).map((o) => o.name)),
    };
  }).filter((c) => c.asks);
}"""
BACK_TO = """async (path) => {
  document.getElementById('shell').innerHTML = '';
  await htmx.ajax('GET', path, { source: document.body, target: '#shell', swap: 'outerHTML' });
}"""
FIELDS = """
  const plain = (address) => (address || '').split('?')[0].replace(/\\/(builds|people|photos|reckoner|book)\\/[^/]+/, '/$1/-');
  const is = 'input:not([type]), input[type=text], input[type=checkbox], input[type=radio], textarea, select';
  const fields = () => [...document.querySelectorAll('#shell form:not([data-unheld]) :is(' + is + ')')].filter((e) =>
    e.name && !e.disabled && !e.readOnly && !e.hasAttribute('hx-get') && !e.hasAttribute('hx-post') && !e.closest('[hx-trigger], .clash')
    && plain(e.form.getAttribute('hx-post')));
  const key = (e) => {
    const own = [...e.form.elements].filter((o) => o.type === 'hidden' && o.name === 'do').map((o) => o.value).join();
    return [plain(e.form.getAttribute('hx-post')), own, e.name.replace(/\\d+/g, '#')].join(' ');
  };
  const holds = (e) => ['checkbox', 'radio'].includes(e.type) ? e.checked : e.value;
"""
CHANGE = (
    """(met) => {"""
    + FIELDS
    + """
  const did = {}, wrong = [], places = fields();
  for (const e of places) {
    if (!e.isConnected || met.includes(key(e)) || key(e) in did) continue;
    for (let f = e.closest('details:not([open])'); f; f = f.parentElement.closest('details:not([open])')) f.open = true;
    if (!e.checkVisibility()) continue;
    const before = holds(e);
    e.focus();
    if (document.activeElement !== e) wrong.push([key(e), 'cannot be reached']);
    if (e.tagName === 'SELECT') {
      const other = [...e.options].reverse().find((o) => !o.disabled && !o.selected);
      if (!other) continue;
      if (e.multiple) other.selected = true; else e.value = other.value;
    } else if (e.type === 'checkbox' || e.type === 'radio') {
      if (e.checked && e.type === 'radio') continue;
      e.click();
    } else e.value = /^[−-]?[\\d.]+$/.test(e.value) || e.inputMode === 'decimal' ? '7' : e.value + ' Seven';
    for (const what of ['input', 'change']) if (e.type !== 'checkbox' && e.type !== 'radio') e.dispatchEvent(new Event(what, { bubbles: true }));
    if (holds(e) === before && !e.multiple) wrong.push([key(e), 'is as it was']);
    did[key(e)] = [places.indexOf(e), holds(e)];
  }
  // What an earlier field was given has not been taken away by a later one.
  for (const [k, [n, value]] of Object.entries(did)) if (places[n].type !== 'radio' && holds(places[n]) !== value) wrong.push([k, `${value} became ${holds(places[n])}`]);
  return [Object.keys(did), wrong];
}"""
)
BACK = """() => {""" + FIELDS + """return fields().filter((e) => e.matches('.is-unsent')).map(key); }"""
OPERATE = """async ([k, choose]) => {
  const e = document.querySelector(`[data-control="${k}"]`);
  if (!e) return null;
  for (let f = e.closest('details:not([open])'); f; f = f.parentElement.closest('details:not([open])')) f.open = true;
  if (!e.checkVisibility()) return { seen: false };
  // What an earlier press said is not this one's.
  document.querySelectorAll('#shell :is(.notice, .saved, .field-error, .refused)').forEach((o) => o.remove());
  document.getElementById('announce').textContent = '';
  document.getElementById('trouble').hidden = true;
  const state = () => {
    const fields = [...document.querySelectorAll('#shell :is(input, select, textarea)')].map((o) => o.type === 'checkbox' || o.type === 'radio' ? o.checked : o.value);
    const drawn = [...document.querySelectorAll('svg.view')].map((v) => `${v.getAttribute('viewBox')} ${v.getAttribute('aria-label')} ${v.childElementCount}`);
    const shown = [...document.querySelectorAll('#shell :is([aria-pressed], [aria-expanded], [aria-current], [hidden], details, .is-on)')].map((o) => o.hidden + o.tagName + o.open + o.className);
    return [location.href, document.getElementById('shell').textContent, fields, drawn, shown, document.getElementById('trouble').hidden,
      document.getElementById('announce').textContent, document.documentElement.dataset.theme, window.printed || 0, window.opened || 0].join('|');
  };
  const frame = () => new Promise((done) => setTimeout(done, 5));
  const busy = () => document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling');
  const quiet = async () => { await frame(); await frame(); while (busy()) await frame(); await frame(); };
  const before = state();
  e.focus();
  if (e.tagName === 'SELECT') { e.value = choose; e.dispatchEvent(new Event('input', { bubbles: true })); e.dispatchEvent(new Event('change', { bubbles: true })); }
  else if (e.type === 'range') { e.stepUp(); e.dispatchEvent(new Event('input', { bubbles: true })); e.dispatchEvent(new Event('change', { bubbles: true })); }
  else e.click();
  await quiet();
  // A form that the browser itself holds back says so at its field, and nothing more comes of it.
  const invalid = () => Boolean(e.form && e.form.querySelector(':invalid'));
  for (let n = 0; n < 150 && !invalid() && state() === before; n++) { await frame(); await quiet(); }
  const active = document.activeElement;
  return {
    seen: true, happened: state() !== before, focus: active && active !== document.body ? active.tagName : '',
    invalid: invalid(),
    holds: e.name ? [...document.querySelectorAll(`#shell ${e.tagName.toLowerCase()}[name="${CSS.escape(e.name)}"]`)].map((o) => o.value) : [],
  };
}"""


def kind_of(control):
    """What makes a control one of its kind: pages of one kind have it many times over."""
    ids = re.compile(r"/(builds|people|photos|reckoner|book)/[^/]+")
    where = ids.sub(r"/\1/-", control["own"] or control["form"])
    do = control["vals"].get("do") or next((v for n, v in control["hidden"] if n == "do"), "")
    words = control["words"] if control["tag"] == "BUTTON" and not control["name"] and not do else ""
    value = control["value"] if control["name"] in ("do", "state", "where", "kind") else ""
    name = re.sub(r"\d+", "#", control["name"])
    name = "" if control["type"] in ("checkbox",) and control["hidden"] == [] else name
    return (control["tag"], control["type"], where, do, name, re.sub(r"\d+", "#", value), re.sub(r"\d+|“.*?”", "#", words)[:30])


class EveryControl(OneShopCase):
    maxDiff = None

    def setUp(self):
        self.page = self.live.page("orla")
        self.page.set_default_timeout(15_000)
        self.page.emulate_media(reduced_motion="reduce")
        self.page.add_init_script(
            "window.print = () => { window.printed = (window.printed || 0) + 1; };"
            "HTMLFormElement.prototype.submit = function () { window.opened = (window.opened || 0) + 1; };"
        )
        self.answers = []
        self.page.on("response", lambda r: self.answers.append((r.status, r.request.method, urlsplit(r.url).path)))
        self.builds = self.live.shop.shop.builds

    def opened(self, path):
        """A page as it is first seen; one that is open already is asked for again, which takes half the time."""
        # Some pages bring a script of their own, which only opening them does.
        if urlsplit(self.page.url).path != urlsplit(path).path or not swapped(self.page, path):
            self.page.goto(path)
            settled(self.page)
        return self.page.evaluate(LIST)

    def revisions(self):
        """How far each build has come, and the shop's own things that a press may change."""
        shop = self.live.shop.shop
        return [(b.id, b.number) for b in shop.glances.listed()], len(shop.shelf.moves(99)), shop.records.get()

    def put_back(self, before):
        """Every build as it was before a press."""
        for build_id, build in before.items():
            try:
                head = self.builds.head(build_id)
            except MissingError:
                continue
            if head.where != "in work":
                self.builds.put(build_id, "in work", ORLA)
                head = self.builds.head(build_id)
            if head.build != build:
                self.builds.change(build_id, head.number, Author(None, "the test"), "Put back", lambda _, b=build: b)

    def operated(self, path, control, choose=""):
        """One control, operated, by what the page then is; None where it led to another page."""
        self.answers.clear()
        try:
            done = self.page.evaluate(OPERATE, [control["k"], choose])
            while done is None:
                # The page was drawn again meanwhile, as a moment after a zoom.
                control = next(c for c in self.page.evaluate(LIST) if kind_of(c) == kind_of(control))
                done = self.page.evaluate(OPERATE, [control["k"], choose])
        except Error as navigated:
            if not any(words in str(navigated) for words in ("context was destroyed", "navigat")):
                raise
            done = None
            settled(self.page)
        self.assertEqual([a for a in self.answers if a[0] >= 500], [])
        return done

    def pressed(self, path, control):
        done = self.operated(path, control)
        if done is None or not done["seen"]:
            return
        self.assertTrue(done["happened"] or done["invalid"], "does nothing")
        self.assertTrue(done["focus"], "the focus is nowhere")

    def chosen(self, path, control):
        """A list that asks by itself: its choice stays, the address says it where it is kept there, the page opens."""
        value = next((v for v in reversed(control["choices"]) if v != control["now"]), None)
        if value is None:
            return
        where = urlsplit(self.page.url).path
        done = self.operated(path, control, value)
        if done is None or not done["seen"] or urlsplit(self.page.url).path != where:
            return
        self.assertIn(value, done["holds"], f"“{value}” does not stay")
        self.assertTrue(done["focus"], "the focus is nowhere")
        if control["told"]:
            said = parse_qs(urlsplit(self.page.url).query, keep_blank_values=True).get(control["name"])
            self.assertEqual(said, [value], "the address says else")

    def filled(self, path, met):
        """Every field of a page of a kind not met yet, written in or chosen: it stays, and is there after leaving the page."""
        did, wrong = self.page.evaluate(CHANGE, sorted(met))
        met.update(did)
        with self.subTest(path, fields=len(did)):
            self.assertEqual(wrong, [])
            if did:
                self.page.evaluate(BACK_TO, path)
                self.assertEqual(set(did) - set(self.page.evaluate(BACK)), set(), "what was typed is gone after coming back")
        return len(did)

    def test_each_once(self):
        met, written, tried, filled = set(), set(), 0, 0
        for path in pages(self.live.shop):
            if path == LOOKED_AT:
                continue
            controls, changed = self.opened(path), None
            if done := self.filled(path, written):
                filled += done
                controls = self.opened(path)
            for kind in dict.fromkeys(kind_of(c) for c in controls):
                mine = next((c for c in controls if kind_of(c) == kind), None)
                if kind not in met and (changed is not None):
                    controls, changed = self.opened(path) if changed else self.page.evaluate(LIST), None
                    mine = next((c for c in controls if kind_of(c) == kind), None)
                if mine is None or kind in met or (mine["own"] or mine["form"]) in ENDS_THE_SESSION:
                    continue
                where = self.page.url
                with self.subTest(path, control=str(kind)):
                    self.assertNotIn(mine["name"] or "-", mine["includes"], "stands in what it includes too, and would be sent twice")
                met.add(kind)
                revisions = self.revisions()
                heads = {i: self.builds.head(i).build for i, _ in revisions[0]}
                tried += 1
                with self.subTest(path, control=str(kind)):
                    (self.chosen if mine["tag"] == "SELECT" else self.pressed)(path, mine)
                changed = self.page.url != where or self.revisions() != revisions
                self.put_back(heads)
        self.assertGreater(tried, 200)
        self.assertGreater(filled, 300)


if __name__ == "__main__":
    unittest.main()
