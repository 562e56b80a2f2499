"""A person's own page: name, password, sessions, tokens; and the way in."""

from lucidex.web.shell.view import View
from lucidex.web.views.account import page

VIEW = View("account", (page.router,))
