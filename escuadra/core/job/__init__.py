"""The heart: a job's events, what disturbs what, and the sheet that follows from them."""
