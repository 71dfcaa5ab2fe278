"""The pages of Fit."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Fit", "fit", ("rounds",))
