"""Choices for viewers: inputs, pickers, views, pages and links, as values without a screen.

May import what is below: ``numbers``, ``sources``, ``filters`` and the core. Moment, data and book
come in from outside; how a view is drawn is for whoever binds it.
"""
