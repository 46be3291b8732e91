"""The visit closed: its certificate, released or sent back, and the drive that is handed over with the vehicle."""
