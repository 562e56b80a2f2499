"""Imported once by the server process from which others are forked, so that they find it all there: no thread, no
connection and no secret is in it."""

from sqlalchemy.orm import configure_mappers

import lucidex.services.runs.worker
import lucidex.work.decode_task
import lucidex.work.html_task  # noqa: F401
from lucidex.core.resampling import kernel, warp_kernel

configure_mappers()
kernel.load()
warp_kernel.load()
