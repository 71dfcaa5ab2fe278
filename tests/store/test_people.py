"""People in the store: links to choose a password, switching off, and a shop that never loses its last lead."""

import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from elmpeg.core.base.errors import InputError
from elmpeg.store import accounts as accounts_module
from elmpeg.store.accounts import FAILURES_OF_ADDRESS, LINK_GOOD_FOR, Accounts, TooManyTries
from elmpeg.store.database import Database
from elmpeg.store.devices import Devices
from tests.shop import QUICK

GOOD, OTHER = "larch and pitch", "oak and tallow"


class People(unittest.TestCase):
    """Accounts over a fresh database."""

    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.database = Database(Path(self.folder.name) / "elmpeg.db")
        self.accounts = Accounts(self.database, QUICK)
        self.ida = self.accounts.add_first("ida", "Ida Quill", GOOD)

    def tearDown(self):
        self.database.close()
        self.folder.cleanup()

    def signs_in(self, login, password):
        try:
            return self.accounts.session(self.accounts.sign_in(login, password, "here"))
        except InputError:
            return None

    def test_there_is_only_one_first(self):
        with self.assertRaises(InputError):
            self.accounts.add_first("bo", "Bo", GOOD)
        self.assertEqual(self.ida.role, "lead")

    def test_somebody_invited_cannot_sign_in_before_they_chose_a_password(self):
        bo, secret = self.accounts.invite("bo", "Bo Tarn", "fabricator")
        self.assertTrue(bo.invited)
        for guess in ("", GOOD, secret):
            self.assertIsNone(self.signs_in("bo", guess))
        self.assertEqual(self.accounts.of_link(secret).login, "bo")
        self.accounts.choose_password(secret, OTHER)
        self.assertEqual(self.signs_in("bo", OTHER).person.name, "Bo Tarn")

    def test_a_link_works_once_and_for_a_week(self):
        _, secret = self.accounts.invite("bo", "Bo", "viewer")
        late = datetime.now(UTC) + LINK_GOOD_FOR + timedelta(minutes=1)
        with mock.patch.object(accounts_module, "datetime", mock.Mock(now=lambda _: late)):
            self.assertIsNone(self.accounts.of_link(secret))
            with self.assertRaises(InputError):
                self.accounts.choose_password(secret, OTHER)
        self.accounts.choose_password(secret, OTHER)
        with self.assertRaises(InputError):
            self.accounts.choose_password(secret, GOOD)
        self.assertIsNotNone(self.signs_in("bo", OTHER))

    def test_a_new_link_makes_the_one_before_useless_and_a_short_password_is_refused(self):
        bo, old = self.accounts.invite("bo", "Bo", "viewer")
        new = self.accounts.new_link(bo.id)
        self.assertIsNone(self.accounts.of_link(old))
        with self.assertRaises(InputError):
            self.accounts.choose_password(new, "short")
        self.assertIsNotNone(self.accounts.of_link(new), "a refusal does not use a link up")

    def test_whoever_is_switched_off_is_out_everywhere_at_once(self):
        bo, secret = self.accounts.invite("bo", "Bo", "fabricator")
        self.accounts.choose_password(secret, OTHER)
        browser, token = self.accounts.sign_in("bo", OTHER, "here"), self.accounts.make_token(bo, "script")
        link = self.accounts.new_link(bo.id)
        self.accounts.switch(bo.id, off=True)
        self.assertIsNone(self.accounts.session(browser))
        self.assertIsNone(self.accounts.bearer(token))
        self.assertIsNone(self.accounts.of_link(link))
        self.assertIsNone(self.signs_in("bo", OTHER))
        self.accounts.switch(bo.id, off=False)
        self.assertIsNotNone(self.signs_in("bo", OTHER))

    def test_the_last_lead_who_can_sign_in_stays_one(self):
        bo, secret = self.accounts.invite("bo", "Bo", "lead")
        for act in (lambda: self.accounts.switch(self.ida.id, off=True), lambda: self.accounts.set_role(self.ida.id, "viewer")):
            with self.assertRaises(InputError):
                act()
        self.accounts.choose_password(secret, OTHER)
        self.assertEqual(self.accounts.set_role(self.ida.id, "viewer").role, "viewer")
        with self.assertRaises(InputError):
            self.accounts.switch(bo.id, off=True)

    def test_a_changed_password_signs_the_other_browsers_out(self):
        here, there = (self.accounts.sign_in("ida", GOOD, "x") for _ in range(2))
        with self.assertRaises(InputError):
            self.accounts.change_password(self.ida, "wrong", OTHER, here)
        self.accounts.change_password(self.ida, GOOD, OTHER, here)
        self.assertIsNotNone(self.accounts.session(here))
        self.assertIsNone(self.accounts.session(there))
        self.assertIsNone(self.signs_in("ida", GOOD))

    def test_a_shop_that_is_locked_out_gets_its_lead_back(self):
        _bo, secret = self.accounts.invite("bo", "Bo", "lead")
        self.accounts.choose_password(secret, OTHER)
        self.accounts.switch(self.ida.id, off=True)
        for _ in range(6):
            self.signs_in("ida", "wrong")
        back = self.accounts.reset_lead("Ida", "tar and oakum")
        self.assertEqual((back.role, back.off), ("lead", False))
        self.assertIsNotNone(self.signs_in("ida", "tar and oakum"), "wrong tries before do not count any more")
        with self.assertRaises(InputError):
            self.accounts.reset_lead("nobody", OTHER)


class Guessing(People):
    """Wrong passwords are slowed down, and nobody is shut out by somebody else's."""

    def wrong(self, login="ida", address="here", known=()):
        with self.assertRaises(InputError) as refused:
            self.accounts.sign_in(login, "wrong", address, known)
        return isinstance(refused.exception, TooManyTries)

    def test_who_signed_in_with_a_browser_before_is_not_shut_out_by_others_at_the_same_address(self):
        mine = self.accounts.known_browser("ida")
        for _ in range(9):
            self.wrong()
        self.assertTrue(self.wrong())
        self.assertIsNotNone(self.accounts.session(self.accounts.sign_in("ida", GOOD, "here", ("another", mine))))
        # Nor is somebody else.
        _, secret = self.accounts.invite("bo", "Bo Tarn", "fabricator")
        self.accounts.choose_password(secret, OTHER)
        self.assertIsNotNone(self.accounts.session(self.accounts.sign_in("bo", OTHER, "here")))
        # It is of this person only, and ends with the password.
        self.assertTrue(self.wrong(known=(self.accounts.known_browser("bo"),)))
        self.accounts.choose_password(self.accounts.new_link(self.ida.id), "gravel tin ladder")
        self.assertNotEqual(self.accounts.known_browser("ida"), mine)

    def test_a_known_browser_is_slowed_too(self):
        mine = (self.accounts.known_browser("ida"),)
        self.assertEqual([self.wrong(known=mine) for _ in range(6)], [False] * 5 + [True])

    def test_many_names_from_one_address_wait_as_well(self):
        tries = [self.wrong(f"nobody{k}") for k in range(FAILURES_OF_ADDRESS + 1)]
        self.assertEqual(tries, [False] * FAILURES_OF_ADDRESS + [True])

    def test_twelve_at_once_are_all_counted(self):
        with ThreadPoolExecutor(12) as pool:
            waits = list(pool.map(lambda _: self.wrong(), range(12)))
        self.assertEqual(sorted(waits), [False] * 5 + [True] * 7)

    def test_the_old_password_is_not_guessed_on_ones_own_page(self):
        secret = self.accounts.sign_in("ida", GOOD, "here")

        def changed(old):
            try:
                self.accounts.change_password(self.ida, old, OTHER, secret)
            except InputError as refused:
                self.assertEqual(refused.errors[0].field, "old_password")
                return type(refused)
            return None

        self.assertEqual([changed("wrong") for _ in range(6)], [InputError] * 5 + [TooManyTries])
        self.assertEqual(changed(GOOD), TooManyTries)
        self.assertIsNotNone(self.accounts.sign_in("ida", GOOD, "here"))

    def test_a_clock_that_is_set_back_makes_nobody_wait(self):
        ahead = datetime.now(UTC) + timedelta(days=3)
        with mock.patch.object(accounts_module, "datetime", mock.Mock(now=lambda _: ahead)):
            for _ in range(8):
                self.wrong()
        self.assertFalse(self.wrong())
        self.assertIsNotNone(self.signs_in("ida", GOOD))


class Ending(People):
    """Whatever ends somebody's being signed in ends it everywhere."""

    def opened(self):
        """Another person with a browser, a token and a device; whether each is still good."""
        bo, secret = self.accounts.invite("bo", "Bo Tarn", "lead")
        self.accounts.choose_password(secret, OTHER)
        devices = Devices(self.database)
        browsers = [self.accounts.sign_in("bo", OTHER, "here") for _ in range(2)]
        token, device = self.accounts.make_token(bo, "bench"), devices.add(bo.id, "Caliper", "caliper")

        def good():
            return [
                *(self.accounts.session(b) is not None for b in browsers),
                self.accounts.bearer(token) is not None,
                devices.of_token(device) is not None,
            ]

        self.assertEqual(good(), [True] * 4)
        return bo, browsers, good

    def test_each_way(self):
        ways = {
            "everywhere": (lambda bo, _: self.accounts.sign_out_everywhere(bo), [False] * 4),
            "a password by a link": (lambda bo, _: self.accounts.choose_password(self.accounts.new_link(bo.id), GOOD), [False] * 4),
            "a new password": (lambda bo, browsers: self.accounts.change_password(bo, OTHER, GOOD, browsers[0]), [True] + [False] * 3),
            "switched off": (lambda bo, _: self.accounts.switch(bo.id, off=True), [False] * 4),
            "reset on the server": (lambda bo, _: self.accounts.reset_lead("bo", GOOD), [False] * 4),
        }
        for name, (end, left) in ways.items():
            with self.subTest(name):
                bo, browsers, good = self.opened()
                end(bo, browsers)
                self.assertEqual(good(), left)
            self.tearDown()
            self.setUp()

    def test_who_only_looks_stays_signed_in_and_what_they_used_is_noted_aside(self):
        secret, token = self.accounts.sign_in("ida", GOOD, "here"), self.accounts.make_token(self.ida, "bench")
        for days in (10, 20):
            then = datetime.now(UTC) + timedelta(days=days)
            with mock.patch.object(accounts_module, "datetime", mock.Mock(now=lambda _, then=then: then)):
                self.assertIsNotNone(self.accounts.session(secret))
                self.accounts.bearer(token)
                if days == 10:
                    self.accounts.note_use()
        again = Accounts(self.database, QUICK)
        self.assertEqual(again.tokens(self.ida)[0].used.date(), (datetime.now(UTC) + timedelta(days=10)).date())
        late = datetime.now(UTC) + timedelta(days=25)
        with mock.patch.object(accounts_module, "datetime", mock.Mock(now=lambda _: late)):
            self.assertIsNone(again.session(secret), "what was not noted is not known to another process")
            self.assertIsNotNone(self.accounts.session(secret))


if __name__ == "__main__":
    unittest.main()
