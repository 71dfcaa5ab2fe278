"""Scenes as SVG: true projections, drawn on the server from the core's geometry."""
