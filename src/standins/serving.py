"""How a stand-in is served: on a socket that whoever started it has opened, and never longer than that one lives."""

import os
import socket
import sys
import threading

import uvicorn
from fastapi import FastAPI

MOST_CONNECTIONS = 64


def serve(app: FastAPI, handle: int) -> None:
    """Serve on the listening socket with this file descriptor until whoever started us closes our input."""
    threading.Thread(target=_end_with_parent, daemon=True).start()
    config = uvicorn.Config(
        app, log_level="warning", server_header=False, limit_concurrency=MOST_CONNECTIONS, timeout_graceful_shutdown=2
    )
    uvicorn.Server(config).run(sockets=[socket.socket(fileno=handle)])


def _end_with_parent() -> None:
    """Reading from a closed pipe ends: then whoever started us is gone, however it ended."""
    while sys.stdin.buffer.read(1):
        pass
    os._exit(0)
