"""Puts the demo shop into an empty store."""

from __future__ import annotations

from elmpeg.core.stages.mount.stack_edits import with_reserved
from elmpeg.demo import bookworm, cairn, cairn_pieces, dynamo, lantern, notebook
from elmpeg.demo.book import parts
from elmpeg.demo.shelf import SHELF
from elmpeg.store.accounts import Accounts
from elmpeg.store.book import Book
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.notebook import Notebook
from elmpeg.store.photos import Photos
from elmpeg.store.revisions import Author
from elmpeg.store.shop_record import ShopRecord, ShopRecords
from elmpeg.store.stock import Shelf

SHOP = "Fennick & Daughters"
PASSWORD = "harbour-crane"
RESERVED = (("cairn-2", "lifted", "LM"), ("cairn-2", "lifted", "GM"))
"""Stacks that are reserved on the shelf: build, option, mount."""
PEOPLE = (
    ("orla", "Orla Fennick", "lead"),
    ("teo", "Teo Marsh", "fabricator"),
    ("wil", "Wil Adeyemi", "fabricator"),
    ("sunniva", "Sunniva Brekke", "fabricator"),
    ("pip", "Pip Okafor", "viewer"),
)


def seed(
    database: Database, accounts: Accounts, builds: Builds, shelf: Shelf, book: Book, records: ShopRecords, pages: Notebook, photos: Photos
) -> None:
    """Add the people, the shop, its shelf and parts book and the four builds; does nothing where there are people already.

    All of it or, where that is cut short, nothing: the next start then begins again.
    """
    with database.writing():
        if not accounts.people():
            _filled(accounts, builds, shelf, book, records, pages, photos)


def _filled(accounts: Accounts, builds: Builds, shelf: Shelf, book: Book, records: ShopRecords, pages: Notebook, photos: Photos) -> None:
    ids = {login: accounts.add(login, name, role, PASSWORD).id for login, name, role in PEOPLE}
    shelf.replace_all(SHELF)
    records.keep(ShopRecord(name=SHOP, currency="EUR", hourly_rate=68.0))
    for part in parts():
        book.keep(part, Author(ids["teo"], "Teo Marsh"), part.figures_from)
    notebook.keep_all(pages)
    for build, login in (
        (dynamo.build(), "wil"),
        (lantern.build(), "wil"),
        (bookworm.build(), "sunniva"),
        (cairn_pieces.with_traced(notebook.with_brake_line(cairn.build()), photos), "teo"),
    ):
        name = next(n for key, n, _ in PEOPLE if key == login)
        for _, option, mount in (r for r in RESERVED if r[0] == build.id):
            build = with_reserved(build, option, mount)
        builds.add(build, Author(ids[login], name), f"Brought in {build.name}", reserves=True)
