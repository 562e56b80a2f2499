"""The start page, and what is made of the pictures that arrive."""

from lucidex.web.shell.view import View
from lucidex.web.views.start import page, uploads

VIEW = View("start", (page.router, uploads.router))
