"""How much work something was, by the processor time that it took: a busy machine makes it wait, not work more."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from unittest import TestCase


@contextmanager
def at_most(test: TestCase, cpu_s: float) -> Iterator[None]:
    """Fails the test where what is done within takes more than some seconds of processor time, in all threads together."""
    started = time.process_time()
    yield
    test.assertLess(time.process_time() - started, cpu_s)
