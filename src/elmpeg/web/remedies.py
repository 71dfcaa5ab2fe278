"""A remedy that a page offers, put into effect from there."""

from __future__ import annotations

from elmpeg.core.advice.made_remedy import with_remedy
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import noted_words
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.web.answers import Act
from elmpeg.web.outcome import Outcome

TRIED_NOWHERE: dict[str, object] = {"post": "", "fields": {}}
"""Where remedies go of checks of which none can be tried by a figure."""


def tried(act: Act) -> Outcome:
    """Put into effect the remedy that the page offered, worked out again from the build as it was shown."""
    option_id, index = act.text("option"), act.desk.number("remedy")
    check = evaluate(act.build, option_id).check(act.text("check"))
    remedies = check.remedies if check else ()
    remedy = remedies[index] if 0 <= index < len(remedies) else None
    if remedy is None or not remedy.can_be_made or remedy.settles_a_stack:
        raise InputError("remedy", "That remedy is no longer there; look at the check again.")
    return act.change(f"Tried: {noted_words(remedy.words)}", lambda b: with_remedy(b, option_id, remedy))
