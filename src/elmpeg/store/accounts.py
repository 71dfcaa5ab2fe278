"""People: their passwords, signed-in browsers and tokens."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.store.database import Database
from elmpeg.store.tables import ApiToken, FailedSignIn, SignedIn, User

Role = Literal["lead", "fabricator", "viewer"]
ROLES: tuple[Role, ...] = get_args(Role)
Units = Literal["mm", "in_decimal", "in_fraction_16", "in_fraction_32"]

SHORTEST_PASSWORD = 10
SIGNED_IN_FOR = timedelta(days=14)
FAILURES_ALLOWED = 5
FAILURES_FROM_ONE_PLACE = 30
FAILURE_WINDOW = timedelta(minutes=10)
"""So many wrong passwords for one name, or from one address, within this time; then a wait."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody of the shop, as the screens know them."""

    id: int
    login: str
    name: str
    role: Role
    units: Units
    theme: str

    @property
    def may_change(self) -> bool:
        """Leads and fabricators change builds; viewers look."""
        return self.role in ("lead", "fabricator")

    @property
    def leads(self) -> bool:
        """Leads agree options, change limits and look after people."""
        return self.role == "lead"


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


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


class Accounts:
    """People in the store."""

    def __init__(self, database: Database, hasher: PasswordHasher | None = None) -> None:
        self._db = database
        self._hasher = hasher or PasswordHasher()
        self._nobody = self._hasher.hash(secrets.token_hex(8))

    def add(self, login: str, name: str, role: str, password: str) -> Person:
        """Add somebody; raises InputError for a name in use, an unknown role or a short password."""
        login = login.strip().lower()
        if not login or len(login) > 80 or any(c.isspace() for c in login):
            raise InputError("login", "needs 1 to 80 characters without spaces")
        if role not in ROLES:
            raise InputError("role", f"“{role}” is not known; write one of {', '.join(ROLES)}")
        if len(password) < SHORTEST_PASSWORD:
            raise InputError("password", f"needs at least {SHORTEST_PASSWORD} characters")
        user = User(
            login=login,
            name=cleaned_name(name),
            role=role,
            password_hash=self._hasher.hash(password),
            units="mm",
            theme="light",
            created=datetime.now(UTC),
        )
        with self._db.writing() as session:
            if session.scalar(select(User.id).where(User.login == login)) is not None:
                raise InputError("login", f"“{login}” is taken; choose another")
            session.add(user)
            session.flush()
            return _person(user)

    def people(self) -> tuple[Person, ...]:
        """Everybody, by name."""
        with self._db.reading() as session:
            return tuple(_person(u) for u in session.scalars(select(User).order_by(User.name)))

    def sign_in(self, login: str, password: str, address: str) -> str:
        """A new session's secret. Raises TooManyTries or InputError; both take as long for unknown names."""
        login, now = login.strip().lower()[:80], datetime.now(UTC)
        with self._db.reading() as session:
            recent = FailedSignIn.at > now - FAILURE_WINDOW
            of_name = session.scalar(select(func.count()).where(recent, FailedSignIn.login == login)) or 0
            of_place = session.scalar(select(func.count()).where(recent, FailedSignIn.address == address)) or 0
            user = session.scalar(select(User).where(User.login == login))
        if of_name >= FAILURES_ALLOWED or of_place >= FAILURES_FROM_ONE_PLACE:
            raise TooManyTries("password", "Too many tries. Wait ten minutes, or ask a lead to help.")
        if not self._matches(user.password_hash if user else self._nobody, password) or user is None:
            with self._db.writing() as session:
                session.add(FailedSignIn(login=login, address=address, at=now))
                session.execute(delete(FailedSignIn).where(FailedSignIn.at < now - FAILURE_WINDOW))
            raise InputError("password", "That name and password do not go together.")
        secret = secrets.token_urlsafe(32)
        with self._db.writing() as session:
            session.execute(delete(FailedSignIn).where(FailedSignIn.login == login))
            session.execute(delete(SignedIn).where(SignedIn.seen < now - SIGNED_IN_FOR))
            session.add(SignedIn(token_hash=_hash(secret), user_id=user.id, csrf=secrets.token_urlsafe(24), created=now, seen=now))
        return secret

    def _matches(self, stored: str, password: str) -> bool:
        try:
            return self._hasher.verify(stored, password)
        except (VerifyMismatchError, InvalidHashError):
            return False

    def session(self, secret: str) -> BrowserSession | None:
        """The signed-in browser of a cookie's secret, if it is still good."""
        now = datetime.now(UTC)
        with self._db.reading() as session:
            row = session.get(SignedIn, _hash(secret))
            if row is None or now - row.seen > SIGNED_IN_FOR:
                return None
            user = session.get_one(User, row.user_id)
        if now - row.seen > timedelta(hours=1):
            with self._db.writing() as session:
                session.get_one(SignedIn, _hash(secret)).seen = now
        return BrowserSession(_person(user), row.csrf)

    def sign_out(self, secret: str) -> None:
        """Forget a signed-in browser."""
        with self._db.writing() as session:
            session.execute(delete(SignedIn).where(SignedIn.token_hash == _hash(secret)))

    def prefer(self, person: Person, units: Units, theme: str) -> None:
        """Keep somebody's own units and theme."""
        with self._db.writing() as session:
            user = session.get_one(User, person.id)
            user.units, user.theme = units, theme

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
            return tuple(Token(t.id, t.name, t.created, t.used) for t in rows)

    def drop_token(self, person: Person, token_id: int) -> None:
        """Make a token useless; raises MissingError for one that is not theirs."""
        with self._db.writing() as session:
            token = session.get(ApiToken, token_id)
            if token is None or token.user_id != person.id:
                raise MissingError("there is no such token")
            session.delete(token)

    def bearer(self, secret: str) -> Person | None:
        """Whose token this is, if anybody's."""
        with self._db.reading() as session:
            token = session.scalar(select(ApiToken).where(ApiToken.token_hash == _hash(secret)))
            user = session.get_one(User, token.user_id) if token else None
        if token is None or user is None:
            return None
        now = datetime.now(UTC)
        if token.used is None or now - token.used > timedelta(minutes=5):
            with self._db.writing() as session:
                session.get_one(ApiToken, token.id).used = now
        return _person(user)


def _person(user: User) -> Person:
    return Person(user.id, user.login, user.name, user.role, user.units, user.theme)  # type: ignore[arg-type]
