"""The two screws of a sensor: the turns to make, and what every pass has shown."""
