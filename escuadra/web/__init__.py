"""The screens: one folder a screen in ``screens``, with its routes and its templates."""
