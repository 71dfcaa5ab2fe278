"""Searches that run aside: told how far they are, stopped when nobody wants them, and never another person's."""

import threading
import unittest

from elmpeg.core.advice.smallest_change import Cancelled, NoSolution, Progress
from elmpeg.core.base.errors import InputError
from elmpeg.demo import cairn
from elmpeg.web.jobs import MOST_JOBS, Jobs

BUILD = cairn.build()
NOTHING = NoSolution((), (), 1, 1)


def patient(begun):
    """A search that goes on until it is told to stop."""

    def search(told, stop):
        told(Progress(3, 7, "the pinion"))
        begun.set()
        while not stop():
            threading.Event().wait(0.01)
        raise Cancelled

    return search


class Running(unittest.TestCase):
    """One search at a time for each person and build."""

    def test_progress_result_and_time(self):
        jobs = Jobs()
        job = jobs.start(1, BUILD, "low", "rear", lambda told, stop: NOTHING)
        self.assertTrue(job.done.wait(5))
        self.assertEqual((job.result, job.stopped, job.trouble), (NOTHING, False, ""))
        self.assertIs(jobs.of(job.id, 1), job)
        self.assertIsNone(jobs.of(job.id, 2))
        self.assertIsNone(jobs.of("nothing", 1))

    def test_stopped_by_hand_and_by_a_newer_one_of_the_same_person(self):
        jobs, begun = Jobs(), threading.Event()
        first = jobs.start(1, BUILD, "low", "rear", patient(begun))
        self.assertTrue(begun.wait(5))
        self.assertEqual((first.progress.done, first.progress.total), (3, 7))
        other = jobs.start(2, BUILD, "low", "rear", lambda told, stop: NOTHING)
        self.assertFalse(first.done.wait(0.05), "somebody else's search leaves mine alone")
        jobs.start(1, BUILD, "low", "front", lambda told, stop: NOTHING)
        self.assertTrue(first.done.wait(5))
        self.assertEqual((first.stopped, first.result), (True, None))
        self.assertTrue(other.done.wait(5))

    def test_a_refusal_is_told_in_words_and_nothing_is_lost(self):
        def refused(told, stop):
            raise InputError("line", "is inside its limits already")

        job = Jobs().start(1, BUILD, "low", "rear", refused)
        self.assertTrue(job.done.wait(5))
        self.assertEqual(job.trouble, "is inside its limits already")

    def test_old_ones_make_room(self):
        jobs = Jobs()
        ids = [jobs.start(k, BUILD, "low", "rear", lambda told, stop: NOTHING).id for k in range(MOST_JOBS + 3)]
        self.assertIsNone(jobs.of(ids[0], 0))
        self.assertIsNotNone(jobs.of(ids[-1], MOST_JOBS + 2))
