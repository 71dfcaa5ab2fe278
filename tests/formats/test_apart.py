"""Drawings of other programs are read in a process of their own: what they hold comes back as it is, and what would take all there is does not."""

import io
import subprocess
import sys
import threading
import time
import unittest

import ezdxf
from PIL import Image

from elmpeg.core.base.errors import InputError
from elmpeg.formats import apart, dxf, dxf_outlines, picture_process
from elmpeg.formats.stopping import FilesUnderWay
from tests.effort import at_most
from tests.shop import TestShop


def whole_drawing():
    """A plate with two holes, a slot with round ends, in mm."""
    made = ezdxf.new("R2010", units=4)
    space = made.modelspace()
    space.add_lwpolyline([(0, 0), (120, 0), (120, 80), (0, 80)], close=True)
    space.add_lwpolyline([(40, 30, 0, 0, 0), (60, 30, 0, 0, 1), (60, 40, 0, 0, 0), (40, 40, 0, 0, 1)], close=True)
    for x in (15, 105):
        space.add_circle((x, 15), 5.5)
    out = io.StringIO()
    made.write(out)
    return out.getvalue().encode()


def bare(*entities):
    """A drawing of entities alone, each a kind and its pairs of group and value."""
    said = [f"0\n{kind}\n" + "".join(f"{group}\n{value}\n" for group, value in pairs) for kind, *pairs in entities]
    return ("0\nSECTION\n2\nENTITIES\n" + "".join(said) + "0\nENDSEC\n0\nEOF\n").encode()


def ellipse(reach, group=11):
    return ("ELLIPSE", (8, 0), (10, 0), (20, 0), (group, reach), (21, 0), (40, 0.5), (41, 0), (42, 6.283))


HOSTILE = {
    "a circle nowhere": bare(("CIRCLE", (8, 0), (10, "nan"), (20, 0), (40, 5))),
    "a circle without end": bare(("CIRCLE", (8, 0), (10, 0), (20, 0), (40, "1e300"))),
    "an endless circle": bare(("CIRCLE", (8, 0), (10, 0), (20, 0), (40, "-inf"))),
    "an ellipse nowhere": bare(ellipse("nan")),
    "an ellipse without end": bare(ellipse("1e300")),
    "groups with a nought before them": bare(ellipse("1e300", "011")),
    "more than is taken, counted otherwise": ("00\nLINE\n8\n0\n" * 31_000).encode(),
    "more than is taken, behind tabs": ("\t0\nLINE\n8\n0\n" * 31_000).encode(),
    "nothing": b"",
    "anything": bytes(range(256)) * 40,
}
ASKED = (("circles", (1.0,)), ("outlines", ()), ("contours", (1.0,)))


class Apart(unittest.TestCase):
    def test_what_is_drawn_comes_back_as_it_is(self):
        data = whole_drawing()
        self.assertEqual(apart.read("circles", data, None), dxf.read_circles(data, None))
        self.assertEqual(apart.read("outlines", data), dxf_outlines.read(data))
        self.assertEqual(apart.read("contours", data, None), dxf_outlines.read_contours(data, None))
        self.assertEqual(len(dxf_outlines.read_contours(data, None).holes), 2)

    def test_what_is_refused_is_refused_in_the_readers_words(self):
        open_line = bare(("LINE", (8, 0), (10, 0), (20, 0), (11, 5), (21, 5)))
        for what, more, words in (
            ("circles", (1.0,), "no circles"),
            ("outlines", (), "no closed outline"),
            ("contours", (1.0,), "no closed contour"),
        ):
            with self.subTest(what), self.assertRaisesRegex(InputError, words):
                apart.read(what, open_line, *more)

    def test_hostile_drawings_are_refused_and_take_nothing_of_this_process(self):
        for k, (name, data) in enumerate(HOSTILE.items()):
            # Each has a reader in turn; what they look for first is the same.
            what, more = ASKED[k % len(ASKED)]
            with self.subTest(name, reader=what), at_most(self, 1.0), self.assertRaises(InputError) as refused:
                apart.read(what, data, *more)
            self.assertNotIn("Traceback", str(refused.exception))

    def test_a_drawing_that_takes_too_much_is_ended(self):
        large = bare(*[ellipse("1e6")] * 500)
        with at_most(self, 1.0), self.assertRaisesRegex(InputError, "more memory or time than a drawing may"):
            apart.read("contours", large, 1.0)

    def test_on_the_page_it_is_told_beside_the_file_and_the_rest_stays(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        orla = shop.browser("orla")
        headers = {"X-CSRF-Token": orla.csrf, "HX-Request": "true"}
        answer = orla.client.post(
            "/builds/cairn-2/patterns", files={"file": ("a.dxf", HOSTILE["a circle nowhere"])},
            data={"name": "From the customer", "got": "drawing", "bolt": "8", "unit": "mm", "option": "low"}, headers=headers,
        )  # fmt: skip
        self.assertEqual(answer.status_code, 422)
        self.assertIn("has a figure in it that no drawing has: nan", answer.text)
        self.assertIn("From the customer", answer.text)


class Stopped(unittest.TestCase):
    """Who waits for a file can stop it; what others have read goes on."""

    def stopped(self, read):
        """What is said where somebody stops the reading as soon as it is under way."""
        mine, other = FilesUnderWay(), FilesUnderWay()

        def stop():
            while not mine.stop():
                time.sleep(0.01)

        thread = threading.Thread(target=stop)
        thread.start()
        with self.assertRaises(InputError) as refused:
            read(mine)
        thread.join()
        self.assertEqual(other.stop(), 0)
        self.assertEqual(mine.stop(), 0, "nothing is under way any more")
        return refused.exception.message

    def test_a_drawing(self):
        data = whole_drawing()
        self.assertIn("was stopped", self.stopped(lambda mine: apart.read("outlines", data, under_way=mine)))
        self.assertEqual(apart.read("outlines", data, under_way=FilesUnderWay()), dxf_outlines.read(data))

    def test_a_picture_and_the_next_one_is_read_again(self):
        small, large = io.BytesIO(), io.BytesIO()
        Image.new("RGB", (40, 30)).save(small, "PNG")
        Image.effect_noise((4000, 3000), 60).save(large, "PNG")

        def read(mine):
            with picture_process.PictureProcess(mine) as process:
                try:
                    process.cleaned(large.getvalue())
                finally:
                    self.assertEqual(process.cleaned(small.getvalue()).width_px, 40)

        self.assertIn("was stopped", self.stopped(read))

    def test_at_the_door_only_ones_own(self):
        shop = TestShop()
        self.addCleanup(shop.close)
        orla, teo, pip = (shop.browser(name) for name in ("orla", "teo", "pip"))
        process = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        with shop.shop.files_under_way.of(2).by(process), process:
            self.assertEqual(orla.post("/reading/stop").status_code, 204)
            self.assertIsNone(process.poll())
            self.assertEqual(teo.post("/reading/stop").status_code, 204)
            process.wait()
        self.assertTrue(shop.shop.files_under_way.of(2).was_stopped(process))
        self.assertEqual(pip.post("/reading/stop").status_code, 403)


if __name__ == "__main__":
    unittest.main()
