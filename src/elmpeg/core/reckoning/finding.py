"""Finding a calculation by the words that people use for it."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable

from elmpeg.core.calculators import CALCULATORS, Calculator

_SMALL = """a an and are as at be by can do does for from go goes have how i if in is it its long many much my of off on one or out
should so that the them then there this to too two up us use we what when where which will with without you your need needs get got
put take"""
SMALL_WORDS = frozenset(_SMALL.split())
TITLE, OWN_WORD, PURPOSE = 5.0, 4.0, 1.5
"""How much a word counts that is in the title, among the words people use, in what it is for."""
NEARLY = 0.8
"""Share of letters alike at which a misspelt word still counts, at half."""
WHOLE_PHRASE = 6.0


def found(asked: str) -> tuple[Calculator, ...]:
    """The calculations that the words may mean, the likeliest first; all of them for no words at all."""
    words = [w for w in _words(asked) if w not in SMALL_WORDS]
    if not words:
        return tuple(CALCULATORS.values())
    scored = [(_score(c, words, " ".join(_words(asked))), k, c) for k, c in enumerate(CALCULATORS.values())]
    return tuple(c for score, _, c in sorted(scored, key=lambda s: (-s[0], s[1])) if score > 0)


def _score(calculator: Calculator, words: list[str], phrase: str) -> float:
    score = sum(WHOLE_PHRASE for own in calculator.words if " " in own and f" {own} " in f" {phrase} ")
    for word in words:
        score += max(
            TITLE * _like(word, _words(calculator.title)),
            OWN_WORD * _like(word, (w for own in calculator.words for w in _words(own))),
            PURPOSE * _like(word, _words(calculator.purpose)),
            OWN_WORD * _like(word, _words(calculator.name)),
        )
    return score


def _like(word: str, among: Iterable[str]) -> float:
    best = 0.0
    for own in among:
        if _stem(own) == _stem(word):
            return 1.0
        if len(word) >= 3 and own.startswith(word):
            best = max(best, 0.9)
        elif len(word) >= 5 and difflib.SequenceMatcher(None, own, word).ratio() >= NEARLY:
            best = max(best, 0.5)
    return best


def _stem(word: str) -> str:
    for ending in ("ing", "es", "s", "ed"):
        if len(word) > len(ending) + 2 and word.endswith(ending):
            return word.removesuffix(ending)
    return word


def _words(text: str) -> list[str]:
    return re.findall(r"[a-z0-9:]+", text.lower().replace("-", " ").replace("_", " "))
