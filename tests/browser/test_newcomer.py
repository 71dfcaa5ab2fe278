"""A newcomer, an empty shop, and a vehicle nobody ever drew: to the first verdict on a gap and on a joint's angle."""

import unittest

from tests.browser.live import OneShopCase, settled
from tests.empty import PASSWORD, EmptyShop

MOST_ACTIONS = 60


class Hand:
    """Somebody's hand on a page; every field typed and every thing picked is counted."""

    def __init__(self, page):
        self.page, self.actions = page, 0

    def type(self, **fields):
        for name, text in fields.items():
            self.page.fill(f"main [name={name}]", text)
            self.actions += 1

    def pick(self, words):
        self.page.click(words)
        self.actions += 1
        settled(self.page)


def walk(hand, code):
    """A newcomer's way, with a name for each place where there is something to see."""
    hand.type(code=code, shop_name="Larkfield Conversions", name="Ida Quill", login="ida", password=PASSWORD)
    yield "first-start"
    hand.pick("text=Open the shop")
    hand.pick("text=Begin a build")
    hand.type(name="Kestrel, survey truck", wheelbase_mm="2790", front_track_mm="1480", tyre_mm="760", rail_top_mm="640")
    yield "new-build"
    hand.pick("text=Begin this build")
    hand.pick("text=Put a part in")
    hand.pick("text=In-line engine")
    hand.type(length_mm="600", width_mm="290", top_mm="410", sump_mm="210", feet_ahead_mm="280", feet_apart_mm="420", feet_below_mm="20")
    yield "put-a-part-in"
    hand.pick("button:has-text('Put it in')")
    hand.pick("text=Put a part in")
    hand.pick("main >> text=Gearbox")
    hand.type(length_mm="700")
    hand.pick("button:has-text('Put it in')")
    hand.pick(".spine >> text=Mount")
    hand.type(seat_x="170", seat_y="-210", seat_z="560")
    hand.pick("button:has-text('Add the mount')")
    hand.type(seat_x="170", seat_y="211", seat_z="558")
    hand.pick("button:has-text('Add the mount')")
    yield "first-gap"
    hand.pick(".spine >> text=Place")
    hand.pick("text=Put a part in")
    hand.pick("main >> text=Live axle")
    hand.type(flanges_mm="1480", pinion_out_mm="330")
    hand.pick("button:has-text('Put it in')")
    hand.pick(".spine >> text=Drive")
    hand.pick(".next >> text=Do it")
    hand.type(rpm="3000")
    hand.pick("button:has-text('Add the line')")
    hand.pick(".spine >> text=Drive")
    yield "first-joint"


class Newcomer(OneShopCase):
    """From nothing to the first answers."""

    shop_of = EmptyShop

    def test_from_an_empty_shop_to_a_gap_and_a_joint(self):
        page = self.live.page()
        page.goto("/")
        hand, to_gap = Hand(page), 0
        for step in walk(hand, self.live.shop.shop.first.code):
            if step == "first-gap":
                to_gap = hand.actions
                self.assertIn("20.0", page.inner_text("main"), "an engine at 600 with feet 20 below it stands 20 over a seat at 560")
                self.assertIn("fails", page.inner_text("main"))
        joint = page.inner_text("main")
        # From an output at (1150, 600) to a pinion at (2460, 380): 220 down over 1310.
        self.assertIn("9.5°", joint)
        self.assertIn("fails", joint)
        self.assertLess(to_gap, hand.actions)
        self.assertLessEqual(hand.actions, MOST_ACTIONS)
        self.assertEqual(self.live.complaints, [])


if __name__ == "__main__":
    unittest.main()
