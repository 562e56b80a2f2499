"""The socket on which the application listens."""

import socket

HOST = "127.0.0.1"
WAITING = 128  # who comes before the application answers waits instead of being refused


def listen(port: int = 0) -> socket.socket:
    """A listening socket on loopback; 0 takes any free port. OSError where that is not possible.

    It says that it speaks TCP: only then does the event loop switch Nagle's waiting off, which would hold back the
    second packet of an answer for 40 ms.
    """
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((HOST, port))
        listening.listen(WAITING)
    except OSError:
        listening.close()
        raise
    return listening
