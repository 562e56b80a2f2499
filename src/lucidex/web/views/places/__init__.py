"""The book of places, and the form of a place."""

from lucidex.web.shell.view import View
from lucidex.web.views.places import page

VIEW = View("places", (page.router,))
