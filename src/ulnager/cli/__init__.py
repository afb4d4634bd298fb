"""The commands. No rule lives here: a command parses, calls one function, and shows.

May import everything. ``options`` are those that several commands share, ``request`` turns them
into values, ``show`` prints, ``help`` lays out the help, and each other module is the command of
its name.
"""
