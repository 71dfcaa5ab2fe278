"""An empty shop, as it is before anybody has been there."""

from __future__ import annotations

import tempfile
from pathlib import Path

from elmpeg.store.accounts import Accounts
from elmpeg.store.database import Database
from elmpeg.web.app import make_app
from elmpeg.web.settings import Settings
from tests.shop import HOUR_S, IN_MEMORY, QUICK, Browser, TestShop

PASSWORD = "larch and pitch"


class EmptyShop(TestShop):
    """The application over an empty database."""

    __test__ = False

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(dir=IN_MEMORY)
        self.database = Database(Path(self._folder.name) / "elmpeg.db")
        self.app = make_app(Settings(patience_s=HOUR_S), self.database, Accounts(self.database, QUICK))
        self.shop = self.app.state.shop

    def begin(self) -> Browser:
        """The first lead, signed in."""
        self.anybody().post("/first", data=self.first())
        return self.browser_of("ida", PASSWORD)

    def first(self, **other: str) -> dict[str, str]:
        """The first form as it is filled in."""
        said = {"code": self.shop.first.code, "shop_name": "Larkfield Conversions", "name": "Ida Quill", "login": "ida", "units": "mm"}
        return {**said, "password": PASSWORD, **other}

    def browser_of(self, login: str, password: str) -> Browser:
        """Somebody signed in with a password of their own."""
        return self.browser(login, password)
