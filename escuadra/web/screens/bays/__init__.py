"""Bays: all of them with the state of their floors, and the sheet of one, typed or dragged in its drawing."""
