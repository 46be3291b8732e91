"""A self-check, guided: one step at a time. What was read so far stands in the address, so nothing is lost."""
