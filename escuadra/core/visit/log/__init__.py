"""A visit's log: what can happen, what that spoils, and the state that its events amount to."""
