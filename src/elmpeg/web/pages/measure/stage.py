"""The pages of Measure."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Measure", "measure", ("points", "directions", "point_form", "measuring_list", "cross_checks", "survey_files"), "point")
