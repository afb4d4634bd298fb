"""The definition file: its shape (``schema``), what it may read (``house``), and the book itself.

May import ``core``, ``filters`` and ``sources``. A book resolves by ``core``; commands and
services come to it with a name.
"""
