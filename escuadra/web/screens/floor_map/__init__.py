"""The floor of a closed survey: its map and figures, its verdicts, what sank since another, and its files."""
