"""What is brought to a job about its vehicle: photos, a printout as a file, a figure overridden on the spot."""
