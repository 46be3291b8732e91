"""Devices: what they propose for the open place, and the page that sets the true state of the stand-ins' bay."""
