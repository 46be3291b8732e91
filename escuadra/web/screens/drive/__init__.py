"""The drive on the road: what is needed, what counted, what is left, which road fills it, and what records it."""
