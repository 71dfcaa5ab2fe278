"""Running the application from the command line."""

from __future__ import annotations

import gc
import signal
import socket
import sys
import threading
import time
import urllib.request
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import uvicorn
from sqlalchemy.exc import DBAPIError

from elmpeg.core.base.errors import InputError
from elmpeg.store import backup, restore
from elmpeg.store.accounts import NOTE_AFTER
from elmpeg.store.database import Database
from elmpeg.store.folder_lock import FolderLock
from elmpeg.store.troubles import disk_troubles
from elmpeg.web.settings import Settings

if TYPE_CHECKING:
    from elmpeg.web.shop import Shop

FIRST_PORT = 8000
LOOK_AGAIN_S = 3600
PORTS_TRIED = 100

COLLECTED_AT = (50_000, 20, 20)
"""After how many new things, and how many rounds of that, the garbage collector looks through young and old ones."""


def serve(host: str, port: int | None, demo: bool, fresh: bool) -> int:
    """Serve until stopped; says the address once it answers. Gives the exit code."""
    settings = Settings(demo=True) if demo else Settings()
    folder = Path(settings.data) / "demo" if demo else Path(settings.data)
    path = folder / "elmpeg.db"
    try:
        lock = FolderLock(folder)
    except InputError as refused:
        print(f"elmpeg: {refused.message}", file=sys.stderr)
        return 1
    chosen = _free_port(host) if port is None else port
    if chosen is None or (port is not None and not _is_free(host, port)):
        print(f"elmpeg: port {port or FIRST_PORT} is in use; choose another, for example PORT={(port or FIRST_PORT) + 1}", file=sys.stderr)
        lock.let_go()
        return 1
    if restore.finish(folder):
        print("elmpeg: a restore that was cut off has been finished.", file=sys.stderr)
    backup.sweep(folder)
    if fresh and demo:
        for old in folder.glob("elmpeg.db*"):
            old.unlink()
    # Loading all of it takes seconds; what stands in the way was told before.
    from elmpeg.core.evaluation.kept_findings import bear_trouble
    from elmpeg.demo.seed import seed
    from elmpeg.store.builds import KEPT_REMOVED
    from elmpeg.web.app import make_app, tell_of_trouble

    try:
        with disk_troubles(path, "data"):
            database = Database(path)
            app = make_app(settings, database)
            if demo:
                shop = app.state.shop
                seed(database, shop.accounts, shop.builds, shop.shelf, shop.book, shop.records, shop.notebook, shop.photos)
            app.state.shop.builds.forget_removed(datetime.now(UTC) - KEPT_REMOVED)
    except InputError as refused:
        print(f"elmpeg: {refused.message}", file=sys.stderr)
        lock.let_go()
        return 1
    keep_what_is_loaded()
    bear_trouble(tell_of_trouble)
    shop = app.state.shop
    code = "" if shop.begun() else shop.first.code
    threading.Thread(target=_announce, args=(host, chosen, code), daemon=True).start()
    threading.Thread(target=_write_down, args=(shop,), daemon=True).start()
    if not demo:
        threading.Thread(target=_daily_backups, args=(folder,), daemon=True).start()
    _stop_by_signals()
    try:
        uvicorn.run(app, host=host, port=chosen, log_level="warning", proxy_headers=True, server_header=False, timeout_graceful_shutdown=3)
    finally:
        # Nothing is to cut off the closing either.
        for late in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(late, signal.SIG_IGN)
        with suppress(InputError, OSError, DBAPIError):
            _written_down(shop)
        database.close()
        lock.let_go()
    return 0


def _stop_by_signals() -> None:
    """Let a signal end what serves and nothing after it.

    The web server sends itself the signal again once it has stopped, which would end the process before its database is closed:
    here that only leaves what serves. A terminal that goes away stops it like any other.
    """

    def leave(_signal: int, _frame: object) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, leave)
    signal.signal(signal.SIGHUP, lambda *_: signal.raise_signal(signal.SIGTERM))


def _written_down(shop: Shop) -> None:
    """What looking has found, which those who look do not write: the verdicts of the list, and who was last here when."""
    shop.accounts.note_use()
    shop.glances.write_down()


def _write_down(shop: Shop) -> None:
    """Every few minutes; what the disk refuses then is found again."""
    while True:
        time.sleep(NOTE_AFTER.total_seconds())
        with suppress(InputError, OSError, DBAPIError):
            _written_down(shop)


def _daily_backups(folder: Path) -> None:
    """One backup a day for as long as the server runs; what goes wrong is told and tried again an hour later."""
    while True:
        try:
            made = backup.daily(folder)
            if made is not None and made.unreadable:
                print(f"elmpeg: in today's backup cannot be read: {'; '.join(made.unreadable)}. Older backups are kept.", file=sys.stderr)
        except (InputError, OSError) as trouble:
            print(f"elmpeg: today's backup was not made: {trouble}", file=sys.stderr)
        time.sleep(LOOK_AGAIN_S)


def keep_what_is_loaded() -> None:
    """Spare the garbage collector what stays for as long as the server runs.

    Looking through all modules again takes it a tenth of a second, in the middle of somebody's move.
    """
    gc.collect()
    gc.freeze()
    # And it looks less often: a move makes thousands of small things, nearly all of which go by themselves.
    gc.set_threshold(*COLLECTED_AT)


def _is_free(host: str, port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return False
    return True


def _free_port(host: str) -> int | None:
    return next((p for p in range(FIRST_PORT, FIRST_PORT + PORTS_TRIED) if _is_free(host, p)), None)


def _announce(host: str, port: int, code: str) -> None:
    address = f"http://{host}:{port}"
    for _ in range(200):
        try:
            with urllib.request.urlopen(f"{address}/healthz", timeout=1):
                print(f"Elm Peg is ready at {address}", flush=True)
                if code:
                    print(f"First start: this shop is empty. Open the address and make the first lead with the code {code}", flush=True)
                return
        except OSError:
            time.sleep(0.1)
