"""A row of things that is made when somebody looks at it, and then stays made."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TypeVar, overload

T = TypeVar("T")


class Later(Sequence[T]):
    """What ``make`` gives, asked for at the first look. Equal to any row of the same things."""

    __slots__ = ("_made", "_make")

    def __init__(self, make: Callable[[], tuple[T, ...]]) -> None:
        self._make: Callable[[], tuple[T, ...]] | None = make
        self._made: tuple[T, ...] = ()

    @property
    def made(self) -> tuple[T, ...]:
        """The things."""
        make = self._make
        if make is not None:
            # Two at once make the same; what it was made from is let go.
            self._made, self._make = make(), None
        return self._made

    @overload
    def __getitem__(self, index: int) -> T: ...

    @overload
    def __getitem__(self, index: slice) -> tuple[T, ...]: ...

    def __getitem__(self, index: int | slice) -> T | tuple[T, ...]:
        return self.made[index]

    def __len__(self) -> int:
        return len(self.made)

    def __iter__(self) -> Iterator[T]:
        return iter(self.made)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, tuple | Later) and self.made == tuple(other)

    def __hash__(self) -> int:
        return hash(self.made)

    def __repr__(self) -> str:
        return repr(self.made)
