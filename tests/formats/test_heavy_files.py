"""Files that are small to send and heavy to take in: bounded in memory and time, refused in words at the door."""

import io
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from unittest import mock

import ezdxf
from PIL import Image, ImageOps

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import Pose, compose, placed
from elmpeg.core.build.components import Component
from elmpeg.core.build.mounts import MountStack, StackPiece
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection
from elmpeg.core.scene.scene import Scene, assembly_of, root_of
from elmpeg.demo import cairn
from elmpeg.formats import dxf, dxf_outlines, photographs, picture_process
from elmpeg.formats.rectified import laid_out


def picture(size=(60, 40), kind="JPEG", turned=None, **how):
    made = Image.radial_gradient("L").resize(size).convert("RGB")
    made.paste((200, 30, 30), (0, 0, size[0] // 4, size[1] // 4))
    exif = Image.Exif()
    if turned:
        exif[0x0112] = turned
    out = io.BytesIO()
    made.save(out, kind, exif=exif, **how)
    return out.getvalue()


class Pictures(unittest.TestCase):
    """In a process of their own."""

    def test_what_comes_back_is_what_would_have_been_made_here(self):
        for kind in ("JPEG", "PNG", "WEBP"):
            data = picture(kind=kind, turned=6)
            self.assertEqual(picture_process.cleaned(data), photographs.cleaned(data))

    def test_each_way_a_camera_was_held_is_turned_upright_as_by_the_library(self):
        for turned in range(1, 9):
            data = picture((70, 600), "PNG", turned)
            kept = photographs.cleaned(data)
            wanted = ImageOps.exif_transpose(Image.open(io.BytesIO(data)))
            got = Image.open(io.BytesIO(kept.data))
            self.assertEqual((got.size, got.tobytes()), (wanted.size, wanted.convert(got.mode).tobytes()), turned)
            self.assertEqual((kept.width_px, kept.height_px), wanted.size)
            self.assertFalse(got.getexif())

    def test_fifty_million_points_are_taken_in_with_400_mb_however_they_are_held(self):
        cases = [picture((8160, 6120), "JPEG", 6), picture((8160, 6120), "JPEG", 8, progressive=True)]
        out = io.BytesIO()
        Image.new("RGBA", (8160, 6120), (10, 20, 30, 128)).save(out, "PNG")
        for data in (*cases, out.getvalue()):
            with picture_process.PictureProcess() as process:
                made = process.cleaned(data)
                with open(f"/proc/{process._process.pid}/status") as status:
                    peak_kb = next(int(line.split()[1]) for line in status if line.startswith("VmHWM"))
            self.assertEqual({made.width_px, made.height_px}, {8160, 6120})
            self.assertLess(peak_kb * 1024, 400e6)

    def test_larger_ones_are_refused_in_words_and_do_not_stop_the_next(self):
        out = io.BytesIO()
        Image.new("1", (30_000, 30_000)).save(out, "PNG")
        self.assertLess(len(out.getvalue()), 231_000)
        with picture_process.PictureProcess() as process:
            with self.assertRaisesRegex(InputError, "far more than the 50 million points"):
                process.cleaned(out.getvalue(), "photo")
            wide = io.BytesIO()
            Image.new("1", (9000, 7000)).save(wide, "PNG")
            with self.assertRaisesRegex(InputError, "9000 x 7000 points; at most 50 million"):
                process.cleaned(wide.getvalue(), "photo")
            with self.assertRaisesRegex(InputError, "not a JPEG"):
                process.cleaned(b"not a picture", "photo")
            with self.assertRaisesRegex(InputError, "at most 12 MB"):
                process.cleaned(b"x" * 12_000_001, "photo")
            self.assertEqual(process.cleaned(picture()).width_px, 60)

    def test_a_process_that_is_ended_is_told_and_the_next_picture_gets_another(self):
        with picture_process.PictureProcess() as process:
            process._process.kill()
            process._process.wait()
            with self.assertRaisesRegex(InputError, "more memory than there is"):
                process.cleaned(picture())
            self.assertEqual(process.cleaned(picture()).width_px, 60)

    def test_many_pictures_together_keep_nobody_waiting_for_all_of_them(self):
        with picture_process.PictureProcess() as process:
            self.assertEqual(process.cleaned(picture()).width_px, 60)
            with ThreadPoolExecutor(1) as other:
                self.assertEqual(other.submit(picture_process.cleaned, picture()).result(30).width_px, 60)
            self.assertEqual(process.cleaned(picture()).width_px, 60)

    def test_what_takes_more_memory_than_is_allowed_is_refused(self):
        with mock.patch.object(photographs, "cleaned", side_effect=MemoryError), mock.patch.object(picture_process, "_send") as sent:
            source = io.BytesIO()
            for part in (b'{"do": "cleaned", "field": "photo"}', b"data"):
                source.write(len(part).to_bytes(8, "big") + part)
            source.seek(0)
            with (
                mock.patch.object(picture_process.sys, "stdin", mock.Mock(buffer=source)),
                mock.patch.object(picture_process.sys, "stdout", mock.Mock()),
                mock.patch.object(picture_process.resource, "setrlimit"),
            ):
                picture_process.main()
        self.assertIn(b"make it smaller", sent.call_args.args[1])


class Drawings(unittest.TestCase):
    """DXF."""

    def test_a_drawing_with_too_much_in_it_is_refused_before_it_is_read(self):
        drawing = ezdxf.new(units=4)
        space = drawing.modelspace()
        for k in range(100):
            space.add_circle((k * 30, 0), 5)
        out = io.StringIO()
        drawing.write(out)
        text = out.getvalue()
        self.assertEqual(len(dxf.read_circles(text.encode())), 100)
        circle = text[text.index("\nCIRCLE\n") - 3 :]
        circle = circle[: circle.index("CIRCLE", 10) - 3]
        at = text.index("\nCIRCLE\n") - 3
        many = (text[:at] + circle * 40_000 + text[at:]).encode()[:4_900_000]
        for read in (dxf.read_circles, dxf_outlines.read):
            began = time.process_time()
            with self.assertRaisesRegex(InputError, "entities; at most 30,000 are taken"):
                read(many)
            self.assertLess(time.process_time() - began, 2.0)


class Documents(unittest.TestCase):
    """Builds."""

    def test_a_stack_of_many_kinds_is_refused_and_so_is_one_of_many_pieces(self):
        made = cairn.build()
        for pieces in (
            tuple(StackPiece(f"k{k}", f"kind {k}", 1.0, 1) for k in range(20_000)),
            (StackPiece("k", "kind", 0.001, 10**9),),
        ):
            options = (replace(made.options[0], stacks=(MountStack("LM", pieces),)), *made.options[1:])
            with self.assertRaisesRegex(InputError, "more than 40 kinds or 100 pieces"):
                require_sound(replace(made, options=options))

    def test_parts_each_on_the_one_before_cost_no_more_each_than_parts_on_one(self):
        def chained(n, long):
            parts = [
                Component(f"q{k}", f"part {k}", Pose(10, 0, 5, 0, 1, 0), parent=(f"q{k - 1}" if long else "q0") if k else None)
                for k in range(n)
            ]
            return replace(cairn.build(), components=(*cairn.build().components, *reversed(parts)))

        def cost_s(long):
            took = []
            for _ in range(3):
                made = chained(450, long)
                began = time.process_time()
                Scene(made, made.options[0])
                for k in range(450):
                    root_of(made, f"q{k}")
                took.append(time.process_time() - began)
            return min(took)

        # Followed part by part, the chain would cost some hundred times as much.
        self.assertLess(cost_s(True), 5 * cost_s(False) + 0.01)

        scene = Scene(chained(40, True), cairn.build().options[0])
        where = placed(Pose(10, 0, 5, 0, 1, 0))
        for _ in range(39):
            where = compose(where, placed(Pose(10, 0, 5, 0, 1, 0)))
        for a, b in zip(scene.placement("q39").origin_mm, where.origin_mm, strict=True):
            self.assertAlmostEqual(a, b)
        self.assertEqual(len(assembly_of(scene.build, "q20")), 40)

    def test_a_ring_is_told_wherever_it_begins(self):
        ring = [Component(f"q{k}", f"part {k}", Pose(0, 0, 0), parent=f"q{(k + 1) % 3}") for k in range(3)]
        tail = Component("tail", "tail", Pose(0, 0, 0), parent="q1")
        made = replace(cairn.build(), components=(*cairn.build().components, tail, *ring))
        self.assertEqual(root_of(made, "gearbox").id, "engine")
        for component in ("tail", "q0", "q1", "q2"):
            with self.assertRaisesRegex(MissingError, "in a ring"):
                root_of(made, component)
        with self.assertRaisesRegex(MissingError, "in a ring"):
            Scene(made, made.options[0])
        with self.assertRaisesRegex(MissingError, "no component"):
            root_of(made, "nobody")


class LaidOut(unittest.TestCase):
    """A photograph turned into a true picture of one plane."""

    def test_a_large_one_shows_the_same_places_as_a_small_one_and_costs_little(self):
        def shown(wide, high):
            """A red square of 100 mm on a board of 400 by 300 mm, photographed square on."""
            made = Image.new("RGB", (wide, high), (250, 250, 250))
            px = wide / 400
            made.paste((200, 30, 30), (round(150 * px), round(100 * px), round(250 * px), round(200 * px)))
            out = io.BytesIO()
            made.save(out, "JPEG", quality=90)
            corners = ((0.0, 0.0), (400.0, 0.0), (400.0, 300.0), (0.0, 300.0))
            fit = plane_projection(tuple(Mark((x * px, (300 - y) * px), (x, y)) for x, y in corners))
            laid = laid_out(out.getvalue(), fit, list(corners))
            picture = Image.open(io.BytesIO(laid.data))
            scale = picture.width / (laid.right_mm - laid.left_mm)

            def at(x_mm, y_mm):
                return picture.getpixel((int((x_mm - laid.left_mm) * scale), int((laid.top_mm - y_mm) * scale)))

            return [
                at(x, y)[1] < 128
                for x, y in ((200, 150), (152, 150), (248, 150), (200, 102), (200, 198), (148, 150), (252, 150), (200, 98))
            ]

        inside_and_out = [True] * 5 + [False] * 3
        self.assertEqual(shown(800, 600), inside_and_out)
        began = time.process_time()
        self.assertEqual(shown(8000, 6000), inside_and_out)
        self.assertLess(time.process_time() - began, 10.0)
