"""Finding the mistake before a viewer does: books and SQL are checked, conditions recognised, and
periods lived through day by day.

It may use every part below it; no other part but the command line, the pictures and the service
knows it.
"""
