"""One module for each kind of check: what it measures in a scene, and how it judges that.

A rule gives ``evaluate`` a list of checks and, where a screen draws it, the state
it found. Its doubt comes from ``doubt.slopes`` over the same measuring function,
never from a second formula.
"""
