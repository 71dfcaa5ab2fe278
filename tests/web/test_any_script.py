"""Builds and files named in any script: opened, changed, undone and sent like any other."""

import io
import json
import re
import unittest
import zipfile
from dataclasses import replace
from urllib.parse import quote, unquote

from elmpeg.demo import cairn
from elmpeg.formats import build_file
from elmpeg.web.downloads import named
from tests.web.test_web import WithShop

IDS = ("Лесник 1", "東京の救急車", "سيارة الإسعاف", "vélo d'août", "Ünder_größe.2")


class Names(unittest.TestCase):
    """The header that names a file."""

    def test_plain_names_stay_plain_and_others_are_given_in_both_ways(self):
        self.assertEqual(named("cairn-2-7.json"), {"Content-Disposition": 'attachment; filename="cairn-2-7.json"'})
        for file in (*IDS, 'with "quotes" and \\', "tab\tand\nline", "✂" * 300):
            header = named(file, "inline")["Content-Disposition"]
            header.encode("ascii")
            self.assertNotRegex(header, r"[\r\n]")
            plain, full = re.fullmatch(r"inline; filename=\"([^\"\\]+)\"; filename\*=UTF-8''(\S+)", header).groups()
            self.assertEqual(unquote(full), file)
            self.assertTrue(plain)


class Builds(WithShop):
    """Whole builds."""

    def test_every_page_and_every_file_of_a_build_whose_id_is_in_another_script(self):
        for build_id in IDS[:3]:
            made = replace(cairn.build(), id=build_id, name=f"{build_id} build")
            files = {"file": ("a.json", build_file.written(made), "application/json")}
            answer = self.orla.client.post("/builds", data={"csrf": self.orla.csrf}, files=files, headers={"HX-Request": "true"})
            where = answer.headers.get("HX-Redirect", answer.headers.get("location", ""))
            self.assertIn(quote(build_id), where, answer.status_code)
            there = f"/builds/{quote(build_id)}"
            paths = {p.replace("/builds/cairn-2", there, 1) for m, p in self.routes() if m == "GET" and p.startswith("/builds/cairn-2")}
            self.assertGreater(len(paths), 30)
            for path in sorted(paths):
                with self.subTest(path):
                    self.assertLess(self.orla.get(path).status_code, 500)
            moved = self.orla.post(f"{there}/bay/move", option="low", part="engine", freedom="z", do="plus", step="1 mm")
            self.assertEqual(moved.status_code, 200)
            undone = self.orla.client.post(
                f"{there}/undo",
                data={"do": "undo", "base": str(self.shop.shop.builds.head(build_id).number)},
                headers={
                    "X-CSRF-Token": self.orla.csrf,
                    "HX-Request": "true",
                    "HX-Current-URL": f"http://shop.test{there}/mounts?option=low",
                },
            )
            self.assertEqual(undone.status_code, 200)
            self.assertIn('aria-label="Mount"', undone.text, "on the page where it was pressed")
            plain = self.orla.get(f"{there}/file")
            self.assertEqual(json.loads(plain.content)["build"]["id"], build_id)
            self.assertIn(f"filename*=UTF-8''{quote(build_id, safe='')}-3.json", plain.headers["content-disposition"])
            packed = self.orla.get(f"{there}/zip")
            self.assertTrue(zipfile.ZipFile(io.BytesIO(packed.content)).namelist())
