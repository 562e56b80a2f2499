"""python -m standins.source HANDLE FOLDER PICTURES: serve on a listening socket that is open already."""

import sys
from pathlib import Path

from standins.serving import serve
from standins.source.app import create_app

if __name__ == "__main__":
    handle, _, pictures = sys.argv[1:4]
    serve(create_app(Path(pictures) / "source"), int(handle))
