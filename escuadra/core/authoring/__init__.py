"""Catalogue entries while they are written: what a form asks, what was typed, what is wrong with it, their life.

Entrance: ``fields.form_of``, ``life.fold_entry``, ``writing.written``, ``soundness.doubts``.
"""
