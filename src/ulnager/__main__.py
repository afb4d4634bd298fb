"""``python -m ulnager``: the same as the command ``ulnager``."""

from ulnager_command import main

main()
