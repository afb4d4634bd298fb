"""Drawings, with Matplotlib: periods on a timeline, and the rows of each day."""
