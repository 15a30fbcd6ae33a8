"""``python -m underglass``."""

from underglass.cli.main import main

main()
