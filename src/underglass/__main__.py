"""``python -m underglass``."""

from underglass.cli.main import main

# Processes that help with a folder of jobs read this module anew; they must not start a window.
if __name__ == "__main__":
    main()
