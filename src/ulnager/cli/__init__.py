"""The commands. No rule lives here: a command parses, calls one function, and shows.

May import everything. ``request`` turns options into values, ``show`` prints, ``help`` lays out the
help, and each other module is the command of its name.
"""
