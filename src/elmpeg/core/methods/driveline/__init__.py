"""Joints, shafts and the axles they follow."""
