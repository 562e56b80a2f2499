"""python -m standins.site HANDLE FOLDER PICTURES: serve on a listening socket that is open already."""

import sys
from pathlib import Path

from standins.serving import serve
from standins.site.app import create_app

if __name__ == "__main__":
    handle, folder, pictures = sys.argv[1:4]
    serve(create_app(Path(folder), Path(pictures) / "pictures"), int(handle))
