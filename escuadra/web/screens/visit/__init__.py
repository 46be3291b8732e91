"""A visit as a whole."""
