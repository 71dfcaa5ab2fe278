"""What a person does, in a real browser: place, see, fill, fit; by pointer, by keys, and two at once."""

from tests.browser.live import BrowserCase, settled


class Path(BrowserCase):
    """The whole path of a day's work."""

    def build(self):
        return self.live.shop.shop.builds.head("cairn-2")

    def pose(self, option="low"):
        return next(p.pose for p in self.build().build.option(option).positions if p.component == "engine")

    def value(self, page, freedom):
        return float(page.input_value(f"#knob-{freedom}").replace("\u2212", "-"))

    def revision_after(self, page, act):
        """Do something and wait until the page shows the revision it led to."""
        before = page.get_attribute("#here", "data-revision")
        act()
        page.wait_for_function("was => document.getElementById('here').dataset.revision !== was", arg=before)
        settled(page)

    def test_1_by_pointer(self):
        page = self.live.page("teo")
        page.goto("/")
        page.click("text=Cairn 2, mountain rescue ambulance")
        self.assertIn("Tail lifted", page.inner_text("summary"), "as its card said")
        page.click("#option-menu summary")
        page.click("#option-menu .options a:has-text('Low and level')")
        page.wait_for_url("**option=low*")
        self.assertIn("Low and level", page.inner_text("summary"))
        self.assertIn("fails", page.inner_text("#check-line-rear-J2"))
        self.revision_after(page, lambda: page.click("#check-line-rear-J2 .remedies button"))
        self.assertNotIn("fails", page.inner_text("#check-line-rear-J2"))
        self.assertIn("fails", page.inner_text("#check-room-sump-crossmember"))
        for _ in range(2):
            before = self.value(page, "z")
            self.revision_after(page, lambda: page.click(".knob[data-freedom=z] [data-way=plus]"))
            self.assertAlmostEqual(self.value(page, "z"), before + 1, places=3)
        engine = page.locator("#stage [data-component=engine]").bounding_box()
        at = (engine["x"] + 25, engine["y"] + 25)
        scale = float(page.get_attribute("#stage svg", "data-px-per-mm")) * page.evaluate(
            "document.querySelector('#stage svg').getScreenCTM().a"
        )
        start = self.pose()

        def drag():
            page.mouse.move(*at)
            page.mouse.down()
            page.mouse.move(at[0] + 15 * scale + 4, at[1] - 20, steps=4)
            page.mouse.move(at[0] + 4 * scale, at[1] - 3 * scale, steps=4)
            page.mouse.up()

        self.revision_after(page, drag)
        self.assertAlmostEqual(self.pose().x_mm - start.x_mm, 4.0, places=6)
        self.assertAlmostEqual(self.pose().z_mm - start.z_mm, 3.0, places=6)
        self.revision_after(page, lambda: page.click("#undo"))
        self.assertEqual(self.pose(), start)

        page.click("#check-mount-GM-gap a.button")
        self.assertIn("Gearbox mount", page.inner_text(".split-detail"))
        self.revision_after(page, lambda: page.locator(".stack-row.is-within >> text=Use").first.click())
        self.assertIn("Take it out", page.inner_text(".split-detail"))
        self.assertLessEqual(abs(self.live.shop.shop.evaluated(self.build(), "low").check("mount.GM.gap").value), 1.0)

        page.click("nav >> text=Fit")
        page.select_option("#material", "board")
        self.revision_after(page, lambda: page.click("text=Start round 4"))
        predicted = next(p for p in self.build().build.round("round-4").points if p.point == "GM-foot").xyz_mm
        field = page.locator("[id='in-GM-foot_x']")
        for axis, value in zip("xyz", (predicted[0], predicted[1], predicted[2] - 6), strict=True):
            page.fill(f"[id='in-GM-foot_{axis}']", f"{value:.1f}")
        self.revision_after(page, lambda: page.locator("form", has=field).locator("button").click())
        self.assertIn("beyond", page.inner_text("tr:has([id='in-GM-foot_x'])"))
        self.assertIn("\u22126.0", page.inner_text("tr:has([id='in-GM-foot_x'])"))
        page.check("input[name=decision][value=change]")
        self.revision_after(page, lambda: page.click("text=Close round 4"))
        self.assertIn("Decided: change", page.inner_text(".decision"))

    def test_2_by_keyboard_alone(self):
        page = self.live.page("wil")
        page.goto("/")
        page.keyboard.press("Tab")
        for _ in range(12):
            if "Cairn 2" in page.evaluate("document.activeElement.textContent"):
                break
            page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        page.wait_for_url("**/bay**")
        page.focus("#option-menu summary")
        page.keyboard.press("Enter")
        page.keyboard.press("Tab")
        while "Low and level" not in page.evaluate("document.activeElement.textContent"):
            page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        page.wait_for_url("**option=low**")
        for _ in range(60):
            if page.evaluate("document.activeElement.id") == "stage":
                break
            page.keyboard.press("Tab")
        self.assertEqual(page.evaluate("document.activeElement.id"), "stage")
        start = self.pose()
        for key, freedom, amount in (("ArrowUp", "z", 1), ("ArrowLeft", "x", -1), ("ArrowDown", "z", -1), ("ArrowRight", "x", 1)):
            before = self.pose().value(freedom)
            self.revision_after(page, lambda key=key: page.keyboard.press(key))
            self.assertAlmostEqual(self.pose().value(freedom) - before, amount, places=6)
        self.revision_after(page, lambda: page.keyboard.press("e"))
        self.assertAlmostEqual(self.pose().pitch_deg - start.pitch_deg, 0.5, places=6)
        self.revision_after(page, lambda: page.keyboard.press("Control+z"))
        self.assertAlmostEqual(self.pose().pitch_deg, start.pitch_deg, places=6)
        before = self.pose()
        for key in ["ArrowUp"] * 5 + ["ArrowLeft"] * 3:
            page.keyboard.press(key)
        page.wait_for_function("z => document.getElementById('knob-x').value === z", arg=f"{before.x_mm - 3:.1f}")
        self.assertAlmostEqual(self.pose().z_mm - before.z_mm, 5, places=6)
        self.assertEqual(page.locator(".notice, .clash").count(), 0)
        page.keyboard.press("2")
        page.wait_for_selector("#stage[data-main=plan]")
        self.revision_after(page, lambda: page.keyboard.press("ArrowUp"))
        self.assertAlmostEqual(self.pose().y_mm - start.y_mm, 1, places=6)
        page.focus("#knob-y")
        page.keyboard.press("Control+a")
        page.keyboard.type("1,250")
        page.keyboard.press("Enter")
        page.wait_for_selector("#error-y_value")
        self.assertIn("ambiguous", page.inner_text("#error-y_value"))
        self.assertEqual(page.input_value("#knob-y"), "1,250")
        page.keyboard.press("Control+a")
        page.keyboard.type("-12")
        self.revision_after(page, lambda: page.keyboard.press("Enter"))
        self.assertAlmostEqual(self.pose().y_mm, -12.0)
        page.focus("summary")
        page.keyboard.press("Enter")
        page.focus("#option-name")
        page.keyboard.press("Control+a")
        page.keyboard.type("By keys alone")
        page.keyboard.press("Enter")
        page.wait_for_url("**option=by-keys-alone**")
        self.assertIn("By keys alone", page.inner_text("summary"))

    def test_3_two_browsers_on_one_build(self):
        teo, wil = self.live.page("teo"), self.live.page("wil")
        for page in (teo, wil):
            page.goto("/builds/cairn-2/bay?option=low")
            settled(page)
        start = self.pose()
        self.revision_after(teo, lambda: teo.click(".knob[data-freedom=z] [data-way=plus]"))
        self.revision_after(wil, lambda: wil.click(".knob[data-freedom=y] [data-way=plus]"))
        self.assertIn("Kept together", wil.inner_text("main"))
        self.assertAlmostEqual(self.pose().z_mm - start.z_mm, 1, places=6)
        self.assertAlmostEqual(self.pose().y_mm - start.y_mm, 1, places=6)
        teo.click(".knob[data-freedom=y] [data-way=minus]")
        teo.wait_for_selector(".clash")
        self.assertIn("Wil Adeyemi", teo.inner_text(".clash"))
        self.assertAlmostEqual(self.pose().y_mm - start.y_mm, 1, places=6)
        self.revision_after(teo, lambda: teo.click("text=Do mine on top of it"))
        self.assertAlmostEqual(self.pose().y_mm - start.y_mm, 0, places=6)
        self.assertEqual(teo.locator(".clash").count(), 0)

    def test_4_the_server_away_keeps_what_was_typed(self):
        page = self.live.page("teo")
        page.goto("/")
        page.goto("/builds/cairn-2/bay?option=low")
        settled(page)
        page.context.set_offline(True)
        page.fill("#knob-x", "744.5")
        page.keyboard.press("Enter")
        page.wait_for_selector("#trouble:visible")
        self.assertIn("no connection", page.inner_text("#trouble"))
        self.assertEqual(page.input_value("#knob-x"), "744.5")
        page.context.set_offline(False)
        self.live.complaints.clear()
        self.revision_after(page, lambda: page.press("#knob-x", "Enter"))
        self.assertAlmostEqual(self.pose().x_mm, 744.5)

    def test_5_long_names_and_many_rows(self):
        from dataclasses import replace

        from elmpeg.core.build.mounts import Mount
        from elmpeg.demo import cairn
        from elmpeg.store.revisions import Author

        build = cairn.build()
        long = "An unreasonably long name that somebody typed at the end of a day " * 2
        extra = tuple(Mount(f"X{k}", f"{long[:70]} {k}", "LM-foot", "LM-seat", 12) for k in range(40))
        many = replace(
            build,
            id="many",
            name=long[:120],
            mounts=(*build.mounts, *extra),
            options=tuple(replace(o, name=f"{long[:70]} {o.id}") for o in build.options),
        )
        self.live.shop.shop.builds.add(many, Author(None, "Teo Marsh"), "Brought in")
        page = self.live.page("teo", 768, 1024)
        for path in ("/", "/builds/many/bay", "/builds/many/mounts", "/builds/many/compare"):
            page.goto(path)
            settled(page)
            with self.subTest(path):
                self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 768)
