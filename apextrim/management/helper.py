"""A server beside the first one: `python -m apextrim.management.helper ALIVE serve --helper 2 --socket 5`, run from `serve` alone.

Before anything else is imported it watches whether the first one lives, so that none is left on the port, whenever that ends.
"""

from __future__ import annotations

import os
import sys
import threading


def end_with(alive: int) -> None:
    """Ends this process when the other end of a pipe is closed, which is when whoever holds it is gone, however it went."""
    os.read(alive, 1)
    os._exit(0)


def main() -> None:
    """Watches, and does the command of `manage.py` that is named."""
    threading.Thread(target=end_with, args=(int(sys.argv[1]),), daemon=True, name="alive").start()
    sys.argv = ["manage.py", *sys.argv[2:]]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)


if __name__ == "__main__":
    main()
