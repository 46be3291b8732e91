"""What to do next: the reading that is missing or helps most, the move of frame or target, or what blocks."""
