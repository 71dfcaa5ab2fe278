"""The pages of Reference."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Reference", "reference", ("reference",))
