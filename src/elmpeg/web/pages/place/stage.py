"""The pages of Place."""

from elmpeg.web.stage_pages import StagePages

PAGES = StagePages("Place", "bay", ("bay", "put_in", "mesh_files", "shapes", "underlays", "measured_position"))
