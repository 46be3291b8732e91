"""What is asked of the projected rows and of what lies beside the streams, one kind of thing a module."""
