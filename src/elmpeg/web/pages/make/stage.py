"""The pages of Make."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages(
    "Make",
    "pieces",
    ("pieces", "piece_acts", "piece_files", "tubes", "structures", "centre_lines", "stands", "welding", "cut_list", "trace", "sheet_rules"),
)
