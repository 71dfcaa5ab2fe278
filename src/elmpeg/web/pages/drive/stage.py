"""The pages of Drive."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Drive", "drive", ("angles", "travel", "shafts", "mend", "ways", "order", "lines", "axles", "rules"), "line")
