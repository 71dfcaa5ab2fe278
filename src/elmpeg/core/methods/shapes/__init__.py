"""The shapes that parts are blocked in with."""
