"""The command line. No rule lives here: a command parses, calls one function, and shows."""
