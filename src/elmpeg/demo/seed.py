"""Puts the demo shop into an empty store."""

from __future__ import annotations

from elmpeg.core.build.mounts import StackPiece
from elmpeg.demo import bookworm, cairn, dynamo
from elmpeg.demo.shelf import SHELF
from elmpeg.store.accounts import Accounts
from elmpeg.store.builds import Author, Builds
from elmpeg.store.stock import Shelf

PASSWORD = "harbour-crane"
RESERVED = (
    ("cairn-2", "LM", (("tube-25", 1), ("plate-12", 1)), "Teo Marsh"),
    ("cairn-2", "GM", (("block-38", 1), ("plate-4", 1), ("washer-25", 2)), "Teo Marsh"),
    ("bookworm", "PL", (("spacer-16-30", 2),), "Sunniva Brekke"),
)
PEOPLE = (
    ("orla", "Orla Fennick", "lead"),
    ("teo", "Teo Marsh", "fabricator"),
    ("wil", "Wil Adeyemi", "fabricator"),
    ("sunniva", "Sunniva Brekke", "fabricator"),
    ("pip", "Pip Okafor", "viewer"),
)


def seed(accounts: Accounts, builds: Builds, shelf: Shelf) -> None:
    """Add the people, the shelf and the three builds; does nothing where there are people already."""
    if accounts.people():
        return
    ids = {login: accounts.add(login, name, role, PASSWORD).id for login, name, role in PEOPLE}
    shelf.replace_all(SHELF)
    for build, login in ((dynamo.build(), "wil"), (bookworm.build(), "sunniva"), (cairn.build(), "teo")):
        name = next(n for key, n, _ in PEOPLE if key == login)
        builds.add(build, Author(ids[login], name), f"Brought in {build.name}")
    for build_id, mount, pieces, who in RESERVED:
        kinds = {i.id: i for i in SHELF}
        shelf.reserve(build_id, mount, tuple(StackPiece(k, kinds[k].name, kinds[k].mm, n) for k, n in pieces), who)
