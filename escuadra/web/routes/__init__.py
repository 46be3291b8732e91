"""One module a screen."""
