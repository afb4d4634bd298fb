"""What is in the data: files and databases, opened for reading only, and looked into.

May import ``core`` and ``filters``. ``opening`` turns a path or a URL into a source; ``profile``
and ``preview`` look into one; ``queries`` and ``urls`` are the guards; ``book`` names sources.
"""
