"""Day: the jobs of the garage, each with its state, what blocks it and its next move; who works here."""
