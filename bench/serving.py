"""The application over a prepared workshop, in a process of its own, so that who measures does not disturb it.

    python -m bench.serving FILES DATABASE_URL

Prints its port.
"""

import sys
from pathlib import Path

import uvicorn

from lucidex.core.compilation import compile_kernels
from lucidex.launch.sockets import listen
from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.renderer import Renderer
from lucidex.web.app import create_app
from lucidex.web.request.context import AppContext


def main() -> None:
    workshop = Workshop(Path(sys.argv[1]), sys.argv[2])
    compile_kernels()
    app = create_app(AppContext(workshop, Renderer(workshop)), "bench")
    listening = listen()
    print(listening.getsockname()[1], flush=True)
    uvicorn.Server(uvicorn.Config(app, log_level="error")).run(sockets=[listening])


if __name__ == "__main__":
    main()
