"""The job's rules and computation: pure functions on frozen models; no input or output, no clock, no chance."""
