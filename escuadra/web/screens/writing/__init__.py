"""Catalogue entries are written: a form read off their models, a drawing that grows, their life to a release."""
