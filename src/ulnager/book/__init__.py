"""The book: a file of named definitions, checked when it is read."""
