"""What routines showed before zeroing, beside other vehicles, bays, frames and people."""
