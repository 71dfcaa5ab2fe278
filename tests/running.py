"""Runs every test, a module at a time in each of a few workers, and ends with one line of counts."""

from __future__ import annotations

import gc
import io
import multiprocessing
import os
import tempfile
import time
import traceback
import unittest
from collections.abc import Sequence
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent
SLOW_FIRST = ("browser", "test_cli", "web", "store", "formats")
"""Where a module takes longest: begun last, one of them would keep a single core busy at the end."""


SHARED = "ELMPEG_TESTS_SHARED"
"""Names the folder in which the workers of one run keep what each would otherwise make for itself."""
RARELY = 50_000
SOME_WAIT = 2
"""Workers beyond the cores: a test with a browser waits for it as much as it works."""


@dataclass(frozen=True)
class Outcome:
    """What came of one module; ``told`` is empty where all is well."""

    ran: int
    failed: int
    skipped: int
    told: str = ""
    seconds: float = 0.0


def run(module: str) -> Outcome:
    """Every test of a module. One that cannot be imported counts as failed."""
    # What tests make is mostly short-lived and in no rings: looking for rings less often is a tenth of the time.
    gc.set_threshold(RARELY, 20, 20)
    said, began = io.StringIO(), time.monotonic()
    suite = unittest.defaultTestLoader.loadTestsFromName(module)
    result = unittest.TextTestRunner(said, verbosity=1, buffer=True).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Outcome(result.testsRun, failed, len(result.skipped), said.getvalue() if failed else "", time.monotonic() - began)


def modules(folders: Sequence[str] = ()) -> list[str]:
    """By name, those that take longest first; with ``folders`` those in them only."""
    found = [path.relative_to(ROOT.parent).with_suffix("").parts for path in sorted(ROOT.rglob("test_*.py"))]
    found = [parts for parts in found if not folders or parts[1] in folders]
    found.sort(key=lambda parts: SLOW_FIRST.index(parts[1]) if parts[1] in SLOW_FIRST else len(SLOW_FIRST))
    return [".".join(parts) for parts in found]


def outcome_of(done: Future[Outcome]) -> Outcome:
    """What a worker answered; a worker that died is a failure."""
    try:
        return done.result()
    except Exception:
        return Outcome(1, 1, 0, traceback.format_exc())


def main(folders: Sequence[str] = ()) -> int:
    """0 when all passed."""
    started = time.monotonic()
    with tempfile.TemporaryDirectory() as shared:
        os.environ[SHARED] = shared
        # The application is loaded once, and each worker begins with it.
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["tests.shop"])
        outcomes = tested(ProcessPoolExecutor((os.cpu_count() or 1) + SOME_WAIT, context), folders)
    failed, skipped = sum(o.failed for o in outcomes), sum(o.skipped for o in outcomes)
    ran = sum(o.ran for o in outcomes)
    print(f"{time.monotonic() - started:.0f} s")
    print(f"{ran - failed - skipped} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not ran else 0


def tested(pool: ProcessPoolExecutor, folders: Sequence[str]) -> list[Outcome]:
    """What came of each module, told as it comes."""
    outcomes = []
    with pool as workers:
        asked = {workers.submit(run, module): module for module in modules(folders)}
        for done in as_completed(asked):
            outcome = outcome_of(done)
            outcomes.append(outcome)
            print(
                f"{asked[done]}: {outcome.ran} run in {outcome.seconds:.0f} s"
                + (f", {outcome.failed} failed\n{outcome.told}" if outcome.failed else ""),
                flush=True,
            )
    return outcomes
