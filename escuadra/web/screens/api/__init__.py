"""The API: calculations by kind, the list of jobs, health, and a page of our own that documents them."""
