"""The heart: from a visit's events to what was read, what follows from it, and what to do next.

Entrance: ``log.events``, ``log.state.fold``, ``sheet.derive``, ``epochs.Epochs``, ``solution.solution.EpochSolution``,
``next_move.NextMove``.
"""
