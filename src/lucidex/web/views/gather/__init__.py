"""Gather: the contact sheet of a folio, and the folio itself."""

from lucidex.web.shell.view import View
from lucidex.web.views.gather import folio, history, page

VIEW = View("gather", (folio.router, page.router, history.router), script="gather.js")
