"""The screens: one module a screen in ``routes``, its view model and its template."""
