"""The command ``elmpeg``."""

from __future__ import annotations

import argparse
import getpass
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.roles import ROLES

if TYPE_CHECKING:
    from elmpeg.store.accounts import Accounts, Person


def main(argv: list[str] | None = None) -> int:
    """Run one command; gives its exit code."""
    parser = argparse.ArgumentParser(prog="elmpeg", description="Where a part sits in a vehicle, and what follows from it.")
    commands = parser.add_subparsers(dest="command", required=True)
    commands.add_parser("calc", help="answer calculation requests, one JSON object a line, from standard input")
    serve = commands.add_parser("serve", help="run the web application")
    serve.add_argument("--host", default="127.0.0.1")
    serve.add_argument("--port", type=int, default=None, help="this port or none; without it, 8000 or the next free one")
    serve.add_argument("--demo", action="store_true", help="put the demo shop into an empty store first")
    serve.add_argument("--fresh", action="store_true", help="with --demo: start over from the demo as it ships")
    user = commands.add_parser("user", help="look after people").add_subparsers(dest="action", required=True)
    add = user.add_parser("add", help="add somebody; the password is asked for, or read from ELMPEG_PASSWORD")
    add.add_argument("login")
    add.add_argument("--name", required=True)
    add.add_argument("--role", default="lead", choices=list(ROLES))
    reset = user.add_parser(
        "reset", help="the way back in: make somebody a lead with a new password, asked for or read from ELMPEG_PASSWORD"
    )
    reset.add_argument("login")
    saved = commands.add_parser("backup", help="write the whole shop (database, photographs, mesh files) to one file, also while it runs")
    saved.add_argument("file", type=Path)
    brought = commands.add_parser("restore", help="put the shop of a backup into the data folder; one that is there is moved aside")
    brought.add_argument("file", type=Path)
    commands.add_parser("schema", help="print the JSON Schema of the build file")
    trace = commands.add_parser("trace", help="the outline and holes of a template in a photograph, by marks of known place")
    trace.add_argument("photo", type=Path)
    trace.add_argument("--marks", type=Path, required=True, help='a JSON file: [{"id", "px": [right, down], "xy_mm": [across, up]}, …]')
    options = parser.parse_args(argv)
    if options.command == "calc":
        return calc(sys.stdin, sys.stdout)
    if options.command in ("backup", "restore"):
        return _backup(options.command, options.file)
    if options.command == "trace":
        return _trace(options.photo, options.marks)
    if options.command == "schema":
        from elmpeg.formats.build_file import schema_text

        sys.stdout.write(schema_text())
        return 0
    if options.command == "user":
        if options.action == "reset":
            return _with_accounts(lambda accounts, password: accounts.reset_lead(options.login, password))
        return _with_accounts(lambda accounts, password: accounts.add(options.login, options.name, options.role, password))
    from elmpeg.web.serve import serve as run

    return run(options.host, options.port, demo=options.demo, fresh=options.fresh)


def calc(lines: TextIO, out: TextIO) -> int:
    """Answer each line; 0 when all were answered, 2 when any was refused."""
    code = 0
    for line in lines:
        if not line.strip():
            continue
        reply = _answer_line(line)
        code = code if reply["ok"] else 2
        out.write(json.dumps(reply, ensure_ascii=False, allow_nan=False) + "\n")
        out.flush()
    return code


def _answer_line(line: str) -> dict[str, Any]:
    from elmpeg.core.calculators import Refused, answer

    try:
        asked = json.loads(line)
    except (ValueError, RecursionError):
        return _refusal("line", 'is not one JSON object; write {"calc": "stack", "request": {…}}')
    if not isinstance(asked, dict) or set(asked) != {"calc", "request"}:
        return _refusal("line", "needs exactly the fields calc and request")
    if not isinstance(asked["calc"], str):
        return _refusal("calc", "must be the name of a calculator")
    try:
        return {"ok": True, "result": answer(asked["calc"], asked["request"])}
    except Refused as refused:
        return {"ok": False, "errors": refused.as_json()}


def _refusal(field: str, message: str) -> dict[str, Any]:
    return {"ok": False, "errors": [{"field": field, "message": message}]}


def _trace(photo: Path, marks: Path) -> int:
    """Print what a photograph shows as JSON; 0, or 2 where it was refused."""
    from elmpeg.core.methods.measuring.plane_projection import Mark
    from elmpeg.formats.traced import traced

    try:
        said = json.loads(marks.read_text("utf-8"))
        rows = said["marks"] if isinstance(said, dict) else said
        known = tuple(Mark((float(m["px"][0]), float(m["px"][1])), (float(m["xy_mm"][0]), float(m["xy_mm"][1]))) for m in rows)
    except (OSError, ValueError, KeyError, TypeError, IndexError):
        print('elmpeg: marks: is not a list of marks; write [{"id": …, "px": [right, down], "xy_mm": [across, up]}, …]', file=sys.stderr)
        return 2
    try:
        found = traced(photo.read_bytes(), known)
    except (InputError, OSError) as refused:
        print(f"elmpeg: {refused}", file=sys.stderr)
        return 2
    for warning in found.warnings:
        print(f"elmpeg: {warning}", file=sys.stderr)
    plain = {
        "outline_mm": [[round(x, 4), round(y, 4)] for x, y in found.outline_mm],
        "holes": [{"xy_mm": [round(v, 4) for v in h.xy_mm], "d_mm": round(h.d_mm, 4)} for h in found.holes],
        "openings_mm": [[[round(x, 4), round(y, 4)] for x, y in ring] for ring in found.openings_mm],
        "rms_px": round(found.rms_px, 4),
        "sd_mm": round(found.sd_mm, 4),
        "warnings": list(found.warnings),
    }
    print(json.dumps(plain))
    return 0


def _backup(do: str, file: Path) -> int:
    """Back the shop up, or restore it; 0 when it was done and opened again, 2 when it was refused, 3 when a build in it cannot be read."""
    from elmpeg.store.backup import back_up, require_elsewhere
    from elmpeg.store.folder_lock import FolderLock
    from elmpeg.store.restore import require_whole, restore
    from elmpeg.web.settings import Settings

    data = Path(Settings().data)
    try:
        if do == "restore":
            lock = FolderLock(data)
            put_back = restore(file, data)
            lock.let_go()
            told = put_back.backup
            if put_back.old is not None:
                print(f"The shop that was here lies in {put_back.old}, whole; delete it once nobody misses anything.")
        else:
            require_whole(data)
            require_elsewhere(data, file)
            told = back_up(data, file)
    except (InputError, OSError) as refused:
        print(f"elmpeg: {refused}", file=sys.stderr)
        return 2
    found = "opened and found whole" if not told.unreadable else f"opened; {len(told.unreadable)} not whole"
    done = "Restored from" if do == "restore" else "Backed up to"
    print(f"{done} {file}: {told.builds} builds, {told.files} files, {told.size_bytes / 1e6:.1f} MB, {found}.")
    if told.unreadable:
        print(f"elmpeg: cannot be read, and is in it as it is: {'; '.join(told.unreadable)}. Keep your older backups.", file=sys.stderr)
        return 3
    return 0


def _with_accounts(act: Callable[[Accounts, str], Person]) -> int:
    """Do something to the people in the store with a password that is asked for; 0 when it was done, 2 when it was refused."""
    from elmpeg.store.accounts import Accounts
    from elmpeg.store.database import Database
    from elmpeg.store.restore import require_whole
    from elmpeg.web.settings import Settings

    password = os.environ.get("ELMPEG_PASSWORD") or getpass.getpass("Password: ")
    try:
        require_whole(Path(Settings().data))
        database = Database(Path(Settings().data) / "elmpeg.db")
    except InputError as refused:
        print(f"elmpeg: {refused.message}", file=sys.stderr)
        return 2
    try:
        person = act(Accounts(database), password)
    except InputError as refused:
        print(f"elmpeg: {refused}", file=sys.stderr)
        return 2
    finally:
        database.close()
    print(f"{person.name} can now sign in as {person.login} ({person.role}).")
    return 0
