"""The demo as it is told: the words of every page, of the record and the command line, and every drawing.

``make golden`` writes it anew. A commit that changes a wording on purpose changes the dump with it; any other change of
the dump is a mistake.
"""
