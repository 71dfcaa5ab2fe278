"""Forty people at one build for a minute: each acts every six seconds, half of them move the part, the others measure, change pieces
and structures. Told: how long a move takes, beside the same alone, how long another build's Bay takes meanwhile, and memory.

The application runs in a process of its own, as it does in a shop; each person has a connection of their own.
"""

from __future__ import annotations

import multiprocessing
import random
import re
import socket
import statistics
import sys
import threading
import time
from multiprocessing.connection import Connection
from pathlib import Path

import httpx2 as httpx
import uvicorn
from lxml import html
from tests.shop import TestShop

from elmpeg.web.security import COOKIE

PEOPLE, SECONDS, EVERY_S = 40, 60, 6.0
BUILD, OTHER, OPTION = "cairn-2", "bookworm", "low"
LOGINS = ("orla", "teo", "wil")
QUIET_S = 60
FORMS: dict[str, dict[str, str]] = {}
PAGE = re.compile(r'data-page="([^"]+)"')


def served(door: socket.socket, told: Connection) -> None:
    """The application on a port, and the secrets of those who are signed in."""
    shop = TestShop()
    accounts = shop.shop.accounts
    secrets = [shop._secrets[login] for login in LOGINS]
    told.send([(s, accounts.session(s).csrf) for s in secrets])  # type: ignore[union-attr]
    uvicorn.Server(uvicorn.Config(shop.app, log_level="error")).run([door])


class Person:
    """Somebody with a browser, who sends a page's own forms."""

    def __init__(self, address: str, secret: str, csrf: str, seed: int) -> None:
        self.client = httpx.Client(base_url=address, cookies={COOKIE: secret}, timeout=120.0)
        self.headers = {"X-CSRF-Token": csrf, "HX-Request": "true"}
        self.chance = random.Random(seed)
        self.took: dict[str, list[float]] = {}
        self.failed: list[int] = []

    def sent(self, what: str, path: str, **fields: str) -> None:
        """Send something and note how long its answer took."""
        # As somebody whose page has just followed what the others saved.
        base = next(str(b["revision"]) for b in self.client.get("/api/v1/builds").json() if b["id"] == BUILD)
        began = time.perf_counter()
        answer = self.client.post(f"/builds/{BUILD}/{path}", data={"base": base, "option": OPTION, **fields}, headers=self.headers)
        page = PAGE.search(answer.text)
        if page and what == "move":
            self.headers["X-Page"] = page[1]
        self.took.setdefault(what, []).append(time.perf_counter() - began)
        if answer.status_code != 200:
            self.failed.append(answer.status_code)

    def form(self, page: str, path: str, do: str) -> dict[str, str]:
        """What a form of a page would send as it stands; looked at once, since only one figure of it is changed."""
        if page in FORMS:
            return FORMS[page]
        for form in html.fromstring(self.client.get(f"/builds/{BUILD}/{page}").text).forms:
            hidden = {i.get("name"): i.get("value") for i in form.xpath('.//input[@type="hidden"]')}
            if (form.get("hx-post") or "").endswith(path) and hidden.get("do", "") == do:
                FORMS[page] = {n: v or "" for n, v in form.form_values() if n not in ("csrf", "base")}
                return FORMS[page]
        raise LookupError(f"{page} has no form {path} {do}")

    def move(self) -> None:
        """A part moved by a little, where nobody moved it before."""
        freedom, way = self.chance.choice("xyz"), self.chance.choice(("plus", "minus"))
        self.sent("move", "bay/move", part="engine", freedom=freedom, do=way, step=f"{self.chance.uniform(0.01, 0.4):.4f} mm")

    def tape(self) -> None:
        """A point's height read again."""
        z = f"{556 + self.chance.uniform(-0.4, 0.4):.2f}"
        self.sent("tape", "measure/reading", point="RM-seat", read_z=z, tool="tape", note=str(self.chance.random()), sure="1")

    def piece(self) -> None:
        """A plate a little thicker or thinner."""
        fields = self.form(f"make/piece?option={OPTION}&piece=lamp-plate", "/make/piece", "")
        self.sent("piece", "make/piece", **{**fields, "thick": f"{self.chance.uniform(2.5, 4.0):.2f}"})

    def structure(self) -> None:
        """A structure with another gap to weld in."""
        fields = self.form("make/structures", "/make/structures", "keep")
        self.sent("structure", "make/structures", **{**fields, "gap": f"{self.chance.uniform(0.5, 2.0):.2f}"})

    def acts(self, k: int, until: float) -> None:
        """Once every six seconds, from a moment of one's own."""
        time.sleep(self.chance.uniform(0.0, EVERY_S))
        while time.perf_counter() < until:
            began = time.perf_counter()
            (self.move, self.tape, self.move, (self.piece, self.structure)[k // 4 % 2])[k % 4]()
            time.sleep(max(0.0, EVERY_S - (time.perf_counter() - began)))

    def looks(self, until: float) -> None:
        """Opens another build's Bay every second."""
        while time.perf_counter() < until:
            began = time.perf_counter()
            self.client.get(f"/builds/{OTHER}/bay")
            self.took.setdefault("another build's Bay", []).append(time.perf_counter() - began)
            time.sleep(max(0.0, 1.0 - (time.perf_counter() - began)))


def memory_mb(pid: int) -> float:
    """What a process holds."""
    line = next(x for x in Path(f"/proc/{pid}/status").read_text().splitlines() if x.startswith("VmRSS"))
    return int(line.split()[1]) / 1024


def main() -> int:
    """0 when every act was answered."""
    context = multiprocessing.get_context("spawn")
    door = socket.socket()
    door.bind(("127.0.0.1", 0))
    address = f"http://127.0.0.1:{door.getsockname()[1]}"
    here, there = context.Pipe()
    server = context.Process(target=served, args=(door, there), daemon=True)
    server.start()
    signed_in = here.recv()
    people = [Person(address, *signed_in[k % len(signed_in)], seed=k) for k in range(PEOPLE)]
    while True:
        try:
            people[0].client.get("/healthz")
            break
        except httpx.ConnectError:
            time.sleep(0.2)
    alone, looker = people[0], Person(address, *signed_in[0], seed=99)
    for act in (alone.move, alone.tape, alone.piece, alone.structure):
        act()
    alone.took.clear()
    for _ in range(10):
        alone.move()
    looker.client.get(f"/builds/{OTHER}/bay")
    looker.looks(time.perf_counter() + 10)
    by_oneself = statistics.median(alone.took.pop("move"))
    bay_alone = statistics.median(looker.took.pop("another build's Bay"))
    before_mb, until = memory_mb(server.pid or 0), time.perf_counter() + SECONDS
    threads = [threading.Thread(target=p.acts, args=(k, until)) for k, p in enumerate(people)]
    threads.append(threading.Thread(target=looker.looks, args=(until,)))
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    time.sleep(QUIET_S)
    after_mb = memory_mb(server.pid or 0)
    took = {
        what: [t for p in (*people, looker) for t in p.took.get(what, [])]
        for what in ("move", "tape", "piece", "structure", "another build's Bay")
    }
    for what, times in took.items():
        told = sorted(times)
        print(
            f"{what}: {len(told)} in the minute, median {told[len(told) // 2] * 1000:.0f} ms, slowest tenth from {told[int(0.9 * len(told))] * 1000:.0f} ms"
        )
    move, bay = statistics.median(took["move"]), statistics.median(took["another build's Bay"])
    print(f"a move: {move / by_oneself:.1f} times that of one alone ({by_oneself * 1000:.0f} ms)")
    print(f"another build's Bay: {bay / bay_alone:.1f} times that of one alone ({bay_alone * 1000:.0f} ms)")
    print(f"memory: {before_mb:.0f} MB before, {after_mb:.0f} MB a minute after ({100 * (after_mb / before_mb - 1):+.0f} %)")
    failed = [code for p in people for code in p.failed]
    print(f"not answered as asked: {len(failed)} {sorted(set(failed))}")
    server.terminate()
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
