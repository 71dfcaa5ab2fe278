"""People: their passwords, signed-in browsers and tokens."""

from __future__ import annotations

import hashlib
import hmac
import math
import secrets
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import Lock
from typing import Any, Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import bindparam, delete, func, select, update
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.build.roles import CHANGING, LEADING, ROLES, RoleName
from elmpeg.core.build.signers import MARKS
from elmpeg.store.database import Database
from elmpeg.store.tables import ApiToken, Device, FailedSignIn, SignedIn, User

Units = Literal["mm", "in_decimal", "in_fraction_16", "in_fraction_32"]

SHORTEST_PASSWORD = 10
SIGNED_IN_FOR = timedelta(days=14)
SIGNED_IN_AT_MOST = timedelta(days=30)
"""A browser that nobody uses is signed out after the first, every browser after the second."""
LINK_GOOD_FOR = timedelta(days=7)
FAILURES_ALLOWED = 5
FAILURES_OF_ADDRESS = 50
FAILURE_WINDOW = timedelta(hours=1)
FIRST_WAIT_S, LONGEST_WAIT_S = 5.0, 300.0
"""After so many wrong passwords for one name from one address within this time it waits before each further one, twice as long
each time; an address does for any name after many more.

Nobody is shut out by others who guess: not from elsewhere, and not in a browser that they have signed in with before."""
NOTE_AFTER = timedelta(minutes=5)
"""How far what is noted of a session's or a token's use may lie behind."""
KNOWN_BROWSER, OWN_PAGE = "known", "own page"
"""What stands in place of an address for tries that are counted by themselves."""
LEAST_GUESSES = 1e7
"""A password that a patient guesser would reach in fewer tries is refused."""
LONGEST_JUDGED = 72
LEAST_BESIDE_NAMES = 6
"""Letters and digits that a password with a name of its person's in it has besides."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody of the shop, as the screens know them."""

    id: int
    login: str
    name: str
    role: RoleName
    units: Units
    theme: str
    off: bool = False
    invited: bool = False
    """Whether a link to choose a password is out for them."""
    keys: bool = True
    """Whether letters and arrows move parts for them."""

    @property
    def may_change(self) -> bool:
        """Whether they change builds."""
        return ROLES[self.role].may_change

    @property
    def leads(self) -> bool:
        """Whether they agree options, change limits and look after people."""
        return ROLES[self.role].leads


@dataclass(frozen=True, slots=True)
class BrowserSession:
    """A signed-in browser."""

    person: Person
    csrf: str


@dataclass(frozen=True, slots=True)
class Token:
    """A token of a person, without its secret."""

    id: int
    name: str
    created: datetime
    used: datetime | None


class TooManyTries(InputError):
    """Signing in must wait."""


# What every request asks, put together once: putting a statement together takes longer than the disk does.
_WHO = (User.id, User.login, User.name, User.role, User.units, User.theme, User.off, User.link_until, User.keys)
_OF_SESSION = (
    select(SignedIn.csrf, SignedIn.created, SignedIn.seen, *_WHO)
    .join(User, User.id == SignedIn.user_id)
    .where(SignedIn.token_hash == bindparam("secret"))
)
_OF_TOKEN = select(ApiToken.used, *_WHO).join(User, User.id == ApiToken.user_id).where(ApiToken.token_hash == bindparam("secret"))


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


class Accounts:
    """People in the store."""

    def __init__(self, database: Database, hasher: PasswordHasher | None = None) -> None:
        self._db = database
        self._hasher = hasher or PasswordHasher()
        self._nobody = self._hasher.hash(secrets.token_hex(8))
        self._seen: dict[str, datetime] = {}
        self._used: dict[str, datetime] = {}
        self._noting = Lock()

    def add(self, login: str, name: str, role: str, password: str, units: Units = "mm") -> Person:
        """Add somebody; raises InputError for a name in use, an unknown role or a short password."""
        _require_password(password, (login, name))
        hashed = self._hasher.hash(password)
        with self._db.writing() as session:
            return _person(self._added(session, login, name, role, hashed, units))

    def add_first(self, login: str, name: str, password: str, units: Units = "mm") -> Person:
        """Add the first person of all, a lead. Raises InputError where somebody is there already."""
        _require_password(password, (login, name))
        hashed = self._hasher.hash(password)
        with self._db.writing() as session:
            if session.scalar(select(func.count()).select_from(User)):
                raise InputError("login", "somebody has been added meanwhile; sign in, or ask a lead of this shop")
            return _person(self._added(session, login, name, "lead", hashed, units))

    def invite(self, login: str, name: str, role: str, units: Units = "mm") -> tuple[Person, str]:
        """Add somebody who will choose their own password; gives the secret of the link for it. Raises InputError as ``add`` does."""
        with self._db.writing() as session:
            user = self._added(session, login, name, role, "", units)
            secret = _linked(user)
            return _person(user), secret

    def _added(self, session: Session, login: str, name: str, role: str, hashed: str, units: Units) -> User:
        login = login.strip().lower()
        if not login or len(login) > 80 or any(c.isspace() for c in login):
            raise InputError("login", "needs 1 to 80 characters without spaces")
        _require_role(role)
        if units not in get_args(Units):
            raise InputError("units", f"“{units}” is not known; choose one of {', '.join(get_args(Units))}")
        if session.scalar(select(User.id).where(User.login == login)) is not None:
            raise InputError("login", f"“{login}” is taken; choose another")
        called = cleaned_name(name)
        # What somebody signs bears their name: two of one name could sign for each other.
        if called.casefold() in {other.casefold() for other in session.scalars(select(User.name))}:
            raise InputError("name", f"“{called}” is somebody here already; add what tells them apart")
        if f" {called}".endswith(MARKS):
            raise InputError("name", "cannot end so; that marks the names of those who did not sign in this shop")
        user = User(
            login=login,
            name=called,
            role=role,
            password_hash=hashed,
            units=units,
            theme="light",
            created=datetime.now(UTC),
        )
        session.add(user)
        session.flush()
        return user

    def new_link(self, person_id: int) -> str:
        """A fresh link's secret for somebody; their old password and their signed-in browsers are good until it is used."""
        with self._db.writing() as session:
            return _linked(_user(session, person_id))

    def of_link(self, secret: str) -> Person | None:
        """Whose link to choose a password this is, if it is still good."""
        with self._db.reading() as session:
            user = session.scalar(select(User).where(User.link_hash == _hash(secret), User.link_until > datetime.now(UTC)))
        return None if user is None or user.off else _person(user)

    def choose_password(self, secret: str, password: str) -> Person:
        """Use a link up: its person has this password from now on and is signed out everywhere. Raises InputError."""
        whose = self.of_link(secret)
        _require_password(password, (whose.login, whose.name) if whose else ())
        hashed = self._hasher.hash(password)
        with self._db.writing() as session:
            user = session.scalar(select(User).where(User.link_hash == _hash(secret), User.link_until > datetime.now(UTC)))
            if user is None or user.off:
                raise InputError("password", "this link has been used or is too old; ask a lead for a new one")
            user.password_hash, user.link_hash, user.link_until = hashed, None, None
            _end_everything(session, user.id)
            session.execute(delete(FailedSignIn).where(FailedSignIn.login == user.login))
            return _person(user)

    def change_password(self, person: Person, old: str, new: str, keep_secret: str) -> None:
        """Give somebody another password; their other browsers are signed out, and no token of theirs is good any more.

        Raises InputError, and TooManyTries where somebody at their browser guesses the old one.
        """
        counted = (person.login, f"{OWN_PAGE} {_hash(keep_secret)[:16]}")
        self._tried(*counted, field="old_password")
        with self._db.reading() as session:
            stored = session.get_one(User, person.id).password_hash
        if not self._matches(stored, old):
            raise InputError("old_password", "is not your password")
        self._forgiven(*counted)
        _require_password(new, (person.login, person.name), "new_password")
        if new == old:
            raise InputError("new_password", "is the password you have now; choose another one")
        hashed = self._hasher.hash(new)
        with self._db.writing() as session:
            session.get_one(User, person.id).password_hash = hashed
            _end_everything(session, person.id, but=_hash(keep_secret))

    def set_role(self, person_id: int, role: str) -> Person:
        """Give somebody another role. Raises InputError where no lead would be left."""
        _require_role(role)
        with self._db.writing() as session:
            user = _user(session, person_id)
            if role not in LEADING:
                _require_other_lead(session, user, "role")
            user.role = role
            return _person(user)

    def switch(self, person_id: int, off: bool) -> Person:
        """Switch somebody off, out of every browser, or on again. Raises InputError where no lead would be left."""
        with self._db.writing() as session:
            user = _user(session, person_id)
            if off:
                _require_other_lead(session, user, "off")
                _end_everything(session, user.id)
                user.link_hash = user.link_until = None
            user.off = datetime.now(UTC) if off else None
            return _person(user)

    def reset_lead(self, login: str, password: str) -> Person:
        """Make somebody a lead who can sign in, whatever they were: the way back for a shop that is locked out. Raises InputError."""
        _require_password(password, (login,))
        hashed = self._hasher.hash(password)
        with self._db.writing() as session:
            user = session.scalar(select(User).where(User.login == login.strip().lower()))
            if user is None:
                raise InputError("login", f"nobody here signs in as “{login}”")
            user.role, user.off, user.password_hash, user.link_hash, user.link_until = "lead", None, hashed, None, None
            _end_everything(session, user.id)
            session.execute(delete(FailedSignIn).where(FailedSignIn.login == user.login))
            return _person(user)

    def people(self) -> tuple[Person, ...]:
        """Everybody, by name."""
        with self._db.reading() as session:
            return tuple(_person(u) for u in session.scalars(select(User).order_by(User.name)))

    def works_alone(self) -> bool:
        """Whether only one person in the shop may change builds."""
        with self._db.reading() as session:
            may = select(func.count()).select_from(User).where(User.off.is_(None), User.role.in_(CHANGING))
            return (session.scalar(may) or 0) < 2

    def sign_in(self, login: str, password: str, address: str, known: Collection[str] = ()) -> str:
        """A new session's secret. Raises TooManyTries or InputError; both take as long for unknown names.

        ``known`` is what ``known_browser`` gave this browser so far: where this person is among them, what others try from the same
        address is not counted against them.
        """
        login, now = login.strip().lower()[:80], datetime.now(UTC)
        with self._db.reading() as session:
            user = session.scalar(select(User).where(User.login == login))
        if user is not None and any(secrets.compare_digest(one.encode(), _known(user).encode()) for one in known):
            address = f"{KNOWN_BROWSER} {_known(user)[:16]}"
        self._tried(login, address)
        if not self._matches(user.password_hash if user and user.password_hash else self._nobody, password) or user is None or user.off:
            raise InputError("password", "That name and password do not go together.")
        self._forgiven(login, address)
        secret = secrets.token_urlsafe(32)
        with self._db.writing() as session:
            session.execute(delete(SignedIn).where((SignedIn.seen < now - SIGNED_IN_FOR) | (SignedIn.created < now - SIGNED_IN_AT_MOST)))
            session.add(SignedIn(token_hash=_hash(secret), user_id=user.id, csrf=secrets.token_urlsafe(24), created=now, seen=now))
        return secret

    def known_browser(self, login: str) -> str:
        """What a browser keeps that somebody has signed in with; a new password ends it. Empty for who is not known."""
        with self._db.reading() as session:
            user = session.scalar(select(User).where(User.login == login.strip().lower()[:80]))
        return _known(user) if user is not None else ""

    def _tried(self, login: str, address: str, field: str = "password") -> None:
        """Count a try before it is looked at, so that many at once are all counted; raises TooManyTries where it must wait."""
        now = datetime.now(UTC)
        with self._db.writing() as session:
            # What lies ahead was written before the clock was set back, and says nothing of now.
            session.execute(delete(FailedSignIn).where((FailedSignIn.at < now - FAILURE_WINDOW) | (FailedSignIn.at > now)))
            here = select(func.count(), func.max(FailedSignIn.at)).where(FailedSignIn.address == address)
            of_name, last_of_name = session.execute(here.where(FailedSignIn.login == login)).one()
            of_all, last_of_all = session.execute(here).one()
            waits = [
                _wait_s(count, allowed) - (now - last).total_seconds()
                for count, allowed, last in ((of_name, FAILURES_ALLOWED, last_of_name), (of_all, FAILURES_OF_ADDRESS, last_of_all))
                if last is not None
            ]
            wait_s = max(waits, default=0.0)
            if wait_s <= 0:
                session.add(FailedSignIn(login=login, address=address, at=now))
        if wait_s > 0:
            raise TooManyTries(field, f"Too many wrong tries from here. Wait {math.ceil(wait_s)} s, then try again.")

    def _forgiven(self, login: str, address: str) -> None:
        with self._db.writing() as session:
            session.execute(delete(FailedSignIn).where(FailedSignIn.login == login, FailedSignIn.address == address))

    def _matches(self, stored: str, password: str) -> bool:
        try:
            return self._hasher.verify(stored, password)
        except (VerifyMismatchError, InvalidHashError):
            return False

    def session(self, secret: str) -> BrowserSession | None:
        """The signed-in browser of a cookie's secret, if it is still good."""
        now, hashed = datetime.now(UTC), _hash(secret)
        with self._db.reading() as session:
            row = session.execute(_OF_SESSION, {"secret": hashed}).first()
        if (
            row is None
            or row.off
            or now - max(row.seen, self._seen.get(hashed, row.seen)) > SIGNED_IN_FOR
            or now - row.created > SIGNED_IN_AT_MOST
        ):
            return None
        if now - row.seen > NOTE_AFTER:
            with self._noting:
                self._seen[hashed] = now
        return BrowserSession(_person(row), row.csrf)

    def note_use(self) -> None:
        """Write down when sessions and tokens were last used. Whoever only looks writes nothing; this is done aside, now and then."""
        with self._noting:
            seen, used = self._seen, self._used
            self._seen, self._used = {}, {}
        if seen or used:
            with self._db.writing() as session:
                for hashed, when in seen.items():
                    session.execute(update(SignedIn).where(SignedIn.token_hash == hashed).values(seen=when))
                for hashed, when in used.items():
                    session.execute(update(ApiToken).where(ApiToken.token_hash == hashed).values(used=when))

    def sign_out(self, secret: str) -> None:
        """Forget a signed-in browser."""
        with self._db.writing() as session:
            session.execute(delete(SignedIn).where(SignedIn.token_hash == _hash(secret)))

    def sign_out_everywhere(self, person: Person) -> None:
        """Forget all of somebody's signed-in browsers, tokens and devices: after it nothing of theirs opens anything."""
        with self._db.writing() as session:
            _end_everything(session, person.id)

    def prefer(self, person: Person, units: Units, theme: str, keys: bool = True) -> None:
        """Keep somebody's own units and theme, and whether keys move parts for them."""
        with self._db.writing() as session:
            user = session.get_one(User, person.id)
            user.units, user.theme, user.keys = units, theme, keys

    def make_token(self, person: Person, name: str) -> str:
        """A new token's secret, to be shown once."""
        secret = f"peg_{secrets.token_urlsafe(32)}"
        with self._db.writing() as session:
            session.add(ApiToken(user_id=person.id, name=cleaned_name(name), token_hash=_hash(secret), created=datetime.now(UTC)))
        return secret

    def tokens(self, person: Person) -> tuple[Token, ...]:
        """Somebody's tokens."""
        with self._db.reading() as session:
            rows = session.scalars(select(ApiToken).where(ApiToken.user_id == person.id).order_by(ApiToken.id))
            return tuple(Token(t.id, t.name, t.created, self._used.get(t.token_hash, t.used)) for t in rows)

    def drop_token(self, person: Person, token_id: int) -> None:
        """Make a token useless; raises MissingError for one that is not theirs."""
        with self._db.writing() as session:
            token = session.get(ApiToken, token_id)
            if token is None or token.user_id != person.id:
                raise MissingError("there is no such token")
            session.delete(token)

    def bearer(self, secret: str) -> Person | None:
        """Whose token this is, if anybody's."""
        now, hashed = datetime.now(UTC), _hash(secret)
        with self._db.reading() as session:
            row = session.execute(_OF_TOKEN, {"secret": hashed}).first()
        if row is None or row.off:
            return None
        if row.used is None or now - row.used > NOTE_AFTER:
            with self._noting:
                self._used[hashed] = now
        return _person(row)


def _end_everything(session: Session, user_id: int, but: str = "") -> None:
    """No browser of somebody's is signed in any more, all but one, and no token or device of theirs is known."""
    session.execute(delete(SignedIn).where(SignedIn.user_id == user_id, SignedIn.token_hash != but))
    session.execute(delete(ApiToken).where(ApiToken.user_id == user_id))
    session.execute(delete(Device).where(Device.user_id == user_id))


def _known(user: User) -> str:
    return hmac.new(user.password_hash.encode(), f"{KNOWN_BROWSER} {user.login}".encode(), hashlib.sha256).hexdigest()


def _person(user: Any) -> Person:
    """Somebody, of their row or of what was asked of it."""
    invited = user.link_until is not None and user.link_until > datetime.now(UTC)
    return Person(user.id, user.login, user.name, user.role, user.units, user.theme, user.off is not None, invited, user.keys)


def _user(session: Session, person_id: int) -> User:
    user = session.get(User, person_id)
    if user is None:
        raise MissingError("there is no such person")
    return user


def _linked(user: User) -> str:
    """Give somebody a fresh link; its secret."""
    secret = secrets.token_urlsafe(24)
    user.link_hash, user.link_until = _hash(secret), datetime.now(UTC) + LINK_GOOD_FOR
    return secret


def _wait_s(failures: int, allowed: int) -> float:
    """How long after the last of so many wrong tries the next one waits."""
    if failures < allowed:
        return 0.0
    # Beyond 40 doublings the longest wait is reached many times over.
    return float(min(FIRST_WAIT_S * 2.0 ** min(failures - allowed, 40), LONGEST_WAIT_S))


def _require_password(password: str, own: tuple[str, ...] = (), field: str = "password") -> None:
    """Raise InputError for a password that is short, or soon guessed: common, repeated, a row of keys, or the person's own name."""
    if len(password) < SHORTEST_PASSWORD:
        raise InputError(field, f"needs at least {SHORTEST_PASSWORD} characters")
    from zxcvbn import zxcvbn

    judged = zxcvbn(
        password[:LONGEST_JUDGED], [*own, *("".join(name.split()) for name in own), *(part for name in own for part in name.split())]
    )
    if judged["guesses"] < LEAST_GUESSES or _is_own_names(password, own):
        raise InputError(field, "is soon guessed: common, repeated or made of your name; put a few words together that have no link")


def _is_own_names(password: str, own: tuple[str, ...]) -> bool:
    """Whether a password is its person's names, once or over and over, forwards or backwards, with little besides."""
    left = whole = "".join(c for c in password.casefold() if c.isalnum())
    parts = {part.casefold() for name in own for part in name.split() if len(part) > 2}
    for part in sorted(parts, key=len, reverse=True):
        left = left.replace(part, "").replace(part[::-1], "")
    return left != whole and len(left) < LEAST_BESIDE_NAMES


def _require_role(role: str) -> None:
    if role not in ROLES:
        raise InputError("role", f"“{role}” is not known; write one of {', '.join(ROLES)}")


def _require_other_lead(session: Session, user: User, field: str) -> None:
    """Raise InputError where nobody else could lead: a shop without a lead has no way back but the command line."""
    others = (
        select(func.count())
        .select_from(User)
        .where(User.role.in_(LEADING), User.off.is_(None), User.id != user.id, User.password_hash != "")
    )
    if user.role in LEADING and user.off is None and not session.scalar(others):
        raise InputError(field, f"{user.name} is the only lead who can sign in; make another one first")
