"""People and what they did, for an administrator."""

from lucidex.web.shell.view import View
from lucidex.web.views.people import page

VIEW = View("people", (page.router,))
