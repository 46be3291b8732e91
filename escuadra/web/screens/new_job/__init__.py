"""New job: what is asked when a vehicle is taken in; what was typed is kept when something is refused."""
