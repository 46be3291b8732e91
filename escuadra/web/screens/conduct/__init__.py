"""The conducted run: an overview of its steps, then one step at a time in large letters."""
