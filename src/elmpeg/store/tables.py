"""Tables of the store. Every change to them goes through a migration."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import DateTime, ForeignKey, LargeBinary, String, Text, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from sqlalchemy.types import TypeDecorator

from elmpeg.core.base.verdicts import SURE


class Moment(TypeDecorator[datetime]):
    """A time with its zone: kept in UTC, since the database keeps none."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: object) -> datetime | None:
        """To UTC without a zone."""
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: object) -> datetime | None:
        """Back to UTC with its zone."""
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    """Base of all tables."""


class User(Base):
    """A person of the shop."""

    __tablename__ = "user"
    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(String(200))
    units: Mapped[str] = mapped_column(String(20), default="mm")
    theme: Mapped[str] = mapped_column(String(10), default="light")
    keys: Mapped[bool] = mapped_column(default=True)
    """Whether letters and arrows move parts where a view or the move panel has the focus."""
    created: Mapped[datetime] = mapped_column(Moment)
    off: Mapped[datetime | None] = mapped_column(Moment, default=None)
    """When somebody was switched off; they cannot sign in, and what they did stays theirs."""
    link_hash: Mapped[str | None] = mapped_column(String(64), default=None)
    """Of a link that lets this person choose a password once."""
    link_until: Mapped[datetime | None] = mapped_column(Moment, default=None)


class ShopRow(Base):
    """The shop itself; there is one row at most."""

    __tablename__ = "shop"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    units: Mapped[str] = mapped_column(String(20))
    currency: Mapped[str] = mapped_column(String(10))
    hourly_rate: Mapped[float | None] = mapped_column(default=None)
    tools: Mapped[str] = mapped_column(Text)
    """The tools that a new build starts with, as JSON."""
    cautions: Mapped[str] = mapped_column(Text)
    """The cautions that a new build starts with, as JSON."""
    sure: Mapped[float] = mapped_column(default=SURE)
    """The chance of being inside a limit that “holds” asks for in a new build."""
    paper: Mapped[str] = mapped_column(String(10), default="A4")
    """The paper in the shop's printer."""


class SignedIn(Base):
    """One signed-in browser. Only the token's hash is kept."""

    __tablename__ = "signed_in"
    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"))
    csrf: Mapped[str] = mapped_column(String(64))
    created: Mapped[datetime] = mapped_column(Moment)
    seen: Mapped[datetime] = mapped_column(Moment)


class ApiToken(Base):
    """A token a person made for the JSON interface. Only its hash is kept."""

    __tablename__ = "api_token"
    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    created: Mapped[datetime] = mapped_column(Moment)
    used: Mapped[datetime | None] = mapped_column(Moment, default=None)


class FailedSignIn(Base):
    """A sign-in that was refused, for slowing down guessing."""

    __tablename__ = "failed_sign_in"
    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(80), index=True)
    address: Mapped[str] = mapped_column(String(80), index=True)
    at: Mapped[datetime] = mapped_column(Moment, index=True)


class StoredBuild(Base):
    """A build: its name, and the number of its newest revision."""

    __tablename__ = "build"
    id: Mapped[str] = mapped_column(String(80), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    head: Mapped[int]
    created: Mapped[datetime] = mapped_column(Moment)
    archived: Mapped[datetime | None] = mapped_column(Moment, default=None)
    removed: Mapped[datetime | None] = mapped_column(Moment, default=None)
    """When it was taken out of the shop; it is kept for a while after that."""


class KeptGlance(Base):
    """What the shop's list tells of a build at one revision. It can be worked out anew at any time."""

    __tablename__ = "glance"
    build_id: Mapped[str] = mapped_column(ForeignKey("build.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int]
    rules: Mapped[str] = mapped_column(String(64))
    """By which rules it was worked out."""
    document: Mapped[str] = mapped_column(Text)


class BookPart(Base):
    """A part of the shop's book: its name, and the number of its newest version."""

    __tablename__ = "book_part"
    id: Mapped[str] = mapped_column(String(80), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    head: Mapped[int]
    created: Mapped[datetime] = mapped_column(Moment)
    removed: Mapped[datetime | None] = mapped_column(Moment, default=None)


class BookVersion(Base):
    """One version of a part of the book; versions are never changed."""

    __tablename__ = "book_version"
    part_id: Mapped[str] = mapped_column(ForeignKey("book_part.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    format: Mapped[int]
    """The build file's version that the document is written in."""
    document: Mapped[str] = mapped_column(Text)
    words: Mapped[str] = mapped_column(String(300))
    person: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(Moment)


class Revision(Base):
    """One saved change. The document before it is that of revision ``before``."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("build_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    build_id: Mapped[str] = mapped_column(ForeignKey("build.id", ondelete="CASCADE"))
    number: Mapped[int]
    before: Mapped[int | None]
    kind: Mapped[str] = mapped_column(String(10))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user.id", ondelete="SET NULL"))
    person: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(Moment)
    words: Mapped[str] = mapped_column(String(300))
    version: Mapped[int]
    """The format's version that the document is written in."""
    since: Mapped[int | None] = mapped_column(default=None)
    """The revision that the document tells the changes from; none where it is whole."""
    depth: Mapped[int] = mapped_column(default=0)
    """How many revisions that tell changes lie between this one and a whole one; 0 for a whole one."""
    undo: Mapped[int] = mapped_column(default=0)
    """The change that undo would take back now; 0 for none."""
    redo: Mapped[int] = mapped_column(default=0)
    """The undoing that redo would bring back now; 0 for none."""
    document: Mapped[bytes] = mapped_column(LargeBinary)
    """The build after the change, or what of it changed: JSON, deflated."""


class Stock(Base):
    """One kind of piece on the shop's shelf."""

    __tablename__ = "stock"
    id: Mapped[str] = mapped_column(String(80), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    form: Mapped[str] = mapped_column(String(20))
    mm: Mapped[float]
    bore_mm: Mapped[float]
    qty: Mapped[int]
    place: Mapped[str] = mapped_column(String(80))
    material: Mapped[str] = mapped_column(String(20), default="steel")
    outside_mm: Mapped[float] = mapped_column(default=0.0)
    thread: Mapped[str] = mapped_column(String(40), default="")
    wide_mm: Mapped[float] = mapped_column(default=0.0)
    long_mm: Mapped[float] = mapped_column(default=0.0)


class StockUse(Base):
    """Pieces of one kind that a build holds for a mount: reserved on the shelf, used up, or returned."""

    __tablename__ = "stock_use"
    id: Mapped[int] = mapped_column(primary_key=True)
    build_id: Mapped[str] = mapped_column(ForeignKey("build.id", ondelete="CASCADE"), index=True)
    mount: Mapped[str] = mapped_column(String(80))
    option: Mapped[str] = mapped_column(String(80), default="")
    """The option whose stack is reserved; empty for what was reserved before stacks said so, and for what is used."""
    stock_id: Mapped[str] = mapped_column(ForeignKey("stock.id"), index=True)
    count: Mapped[int]
    state: Mapped[str] = mapped_column(String(10))
    person: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(Moment)


class StockMove(Base):
    """One movement of the shelf: what lay there before and after it, so that it can be taken back."""

    __tablename__ = "stock_move"
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(Moment)
    person: Mapped[str] = mapped_column(String(80))
    words: Mapped[str] = mapped_column(String(200))
    build_id: Mapped[str] = mapped_column(String(80), default="", index=True)
    """The build for whose pieces something was cut; empty for every other movement."""
    cut: Mapped[str] = mapped_column(Text, default="[]")
    """Ids of the pieces that were cut with it."""
    before: Mapped[str] = mapped_column(Text)
    after: Mapped[str] = mapped_column(Text)
    """By the id of each kind it touched, what lay there, as JSON; null where there was none."""
    undone: Mapped[datetime | None] = mapped_column(Moment, default=None)
    undone_by: Mapped[str] = mapped_column(String(80), default="")


class Device(Base):
    """A measuring device that sends what it reads to the person who holds it. Only its token's hash is kept."""

    __tablename__ = "device"
    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    tool: Mapped[str] = mapped_column(String(80))
    simulated: Mapped[bool] = mapped_column(default=False)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    created: Mapped[datetime] = mapped_column(Moment)
    seen: Mapped[datetime | None] = mapped_column(Moment, default=None)
    battery_pct: Mapped[float | None] = mapped_column(default=None)


class TakenReading(Base):
    """The key of a reading that came in from a browser's queue, so that sending it again does not take it twice."""

    __tablename__ = "taken_reading"
    build_id: Mapped[str] = mapped_column(ForeignKey("build.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    at: Mapped[datetime] = mapped_column(Moment)


class NotebookPage(Base):
    """A calculation kept in the shop's own notebook, all its versions in one document."""

    __tablename__ = "reckoning"
    id: Mapped[str] = mapped_column(String(80), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    calculator: Mapped[str] = mapped_column(String(40))
    head: Mapped[int]
    document: Mapped[str] = mapped_column(Text)
    changed: Mapped[datetime] = mapped_column(Moment)
    removed: Mapped[datetime | None] = mapped_column(Moment, default=None)
