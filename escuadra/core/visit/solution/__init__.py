"""What was read as one network in space, and what its solution tells."""
