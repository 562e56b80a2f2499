"""python -m standins.scanner HANDLE FOLDER PICTURES [PACE]: serve on a listening socket that is open already."""

import sys
from pathlib import Path

from standins.scanner.app import create_app
from standins.serving import serve

if __name__ == "__main__":
    handle, folder, pictures, *pace = sys.argv[1:]
    serve(create_app(Path(folder), Path(pictures), float(pace[0]) if pace else 1.0), int(handle))
