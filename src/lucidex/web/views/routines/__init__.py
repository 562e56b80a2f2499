"""Routines: listed, changed, used."""

from lucidex.web.shell.view import View
from lucidex.web.views.routines import page, use

VIEW = View("routines", (page.router, use.router))
