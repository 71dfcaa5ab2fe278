"""Drive: shafts, joints and the axles that move them."""
