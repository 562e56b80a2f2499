"""Where processes come from: forked from one small server process that has imported what they need, and nothing else.

It holds no secrets, no database connection and no threads, so that a process from it is there in a few milliseconds
and clean. (Forking the application itself would carry all of these along.)
"""

import multiprocessing
from multiprocessing import forkserver

context = multiprocessing.get_context("forkserver")
context.set_forkserver_preload(["lucidex.services.preload"])


def get_ready() -> None:
    """Start the server process now, so that the first who needs a process does not wait for its imports."""
    forkserver.ensure_running()
