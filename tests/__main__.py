"""Runs every test and ends with one line of counts."""

from __future__ import annotations

import sys
import time
import unittest
from pathlib import Path


def main() -> int:
    """0 when all passed."""
    root = Path(__file__).parent
    started = time.monotonic()
    suite = unittest.defaultTestLoader.discover(str(root), top_level_dir=str(root.parent))
    outcome = unittest.TextTestRunner(verbosity=1, buffer=True).run(suite)
    failed = len(outcome.failures) + len(outcome.errors) + len(outcome.unexpectedSuccesses)
    skipped = len(outcome.skipped)
    print(f"{time.monotonic() - started:.0f} s")
    print(f"{outcome.testsRun - failed - skipped} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not outcome.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
