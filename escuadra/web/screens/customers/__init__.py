"""Customers: names and addresses with their jobs, and erasing them for good."""
