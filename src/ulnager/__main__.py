"""``python -m ulnager``: the same as the command ``ulnager``."""

from ulnager.cli.main import main

main()
