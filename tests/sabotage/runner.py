"""Runs one test in a copy of the product, in a child of a process that has imported all foreign packages already.

Reads lines of JSON (`folder`, `test`, `output`) and answers each with the exit status of pytest, in the order in
which they end. Nothing of the product itself is imported before the child is at its copy.
"""

import json
import os
import sys
from pathlib import Path

# what takes long to import, and is the same for every copy
import alembic.command
import cv2
import fastapi
import httpx
import hypothesis
import numba
import PIL.Image
import pymysql
import pytest
import pyvips
import sqlalchemy.orm
import starlette.testclient

PACKAGES = (alembic, cv2, fastapi, hypothesis, httpx, numba, PIL, pymysql, pyvips, sqlalchemy, starlette)
AT_ONCE = 2


def run(folder: str, test: str, output: str) -> None:
    """In the child: never returns."""
    out = os.open(output, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
    os.dup2(out, 1)
    os.dup2(out, 2)
    os.chdir(folder)
    os.environ["PYTHONPATH"] = f"{folder}/src"
    sys.path[:0] = [f"{folder}/src", folder]
    status = pytest.main(["-x", "-p", "no:cacheprovider", "-p", "no:xdist", "-o", "addopts=-q", test])
    sys.stdout.flush()
    os._exit(int(status))


def main() -> None:
    """Work through all lines, some at a time."""
    waiting = [json.loads(line) for line in sys.stdin]
    running: dict[int, str] = {}
    while waiting or running:
        while waiting and len(running) < AT_ONCE:
            one = waiting.pop(0)
            child = os.fork()
            if child == 0:
                run(one["folder"], one["test"], one["output"])
            running[child] = one["folder"]
        child, status = os.wait()
        if (folder := running.pop(child, None)) is not None:
            print(json.dumps({"folder": Path(folder).name, "status": os.waitstatus_to_exitcode(status)}), flush=True)


if __name__ == "__main__":
    main()
