"""A catalogue entry as it is: every figure with what it means, and its YAML to begin one of one's own with."""
