"""Services outside, as an administrator sets them up."""

from lucidex.web.shell.view import View
from lucidex.web.views.outside import page

VIEW = View("outside", (page.router,))
