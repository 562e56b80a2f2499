"""The command `lucidex`, which says what is missing where only the core is installed."""

import sys
from importlib.util import find_spec

_SIGN = "uvicorn"  # what only the application needs


def main() -> None:
    """Start the application; without its packages, say how to get them."""
    if find_spec(_SIGN) is None:
        sys.exit("lucidex: only the core is installed. The application needs more: pip install 'lucidex[app]'.")
    from lucidex.launch.server import main as start

    start()
