"""Data folders as released versions of Escuadra wrote them, kept for good, and how one is made.

A folder is made once, by the version whose name it bears, and never again: ``python -m tests.kept.making``.
"""
