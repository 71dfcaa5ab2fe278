"""The pages of Mount."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Mount", "mounts", ("mounts", "existing_holes", "patterns", "plates", "chains"), "mount")
