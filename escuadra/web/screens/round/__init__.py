"""The round: what is left to read, by tool and place, in the order with the fewest changes."""
