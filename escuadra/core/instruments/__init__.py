"""Instruments: what each contributes, how it is checked, what its history amounts to, what a screw was found to do.

Entrance: ``instrument.Tool``, ``self_checks``, ``check_figures``, ``guided``, ``history.fold_history``,
``screw.learned``.
"""
