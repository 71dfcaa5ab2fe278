"""People in the store: links to choose a password, switching off, and a shop that never loses its last lead."""

import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from elmpeg.core.base.errors import InputError
from elmpeg.store import accounts as accounts_module
from elmpeg.store.accounts import LINK_GOOD_FOR, Accounts
from elmpeg.store.database import Database
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


if __name__ == "__main__":
    unittest.main()
