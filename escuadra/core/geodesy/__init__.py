"""Networks of observations: how they are adjusted, tested, planned and staked out; ``state`` solves a visit in space.

Entrance: ``observations.NetworkInput``, ``network.network``, ``design.design``, ``stakeout.stakeout``,
``levelling.levelling``, ``state.solve``.
"""
