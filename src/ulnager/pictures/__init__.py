"""Drawings of periods and of data, with Matplotlib; one palette, in ``paper``.

May import ``core`` and ``sources``. What is drawn is worked out below; the command ``draw`` and
``--picture`` come here.
"""
