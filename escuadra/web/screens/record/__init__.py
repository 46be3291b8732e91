"""Records: the stored bytes of every signed revision, as PDF and as JSON."""
