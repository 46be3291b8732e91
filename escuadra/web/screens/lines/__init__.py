"""The vehicle's lines: every method with what it will be worth, what they say together, and the marks to make."""
