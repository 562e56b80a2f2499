"""The scanner: what lies on its glass becomes pictures."""

from lucidex.web.shell.view import View
from lucidex.web.views.scanner import page

VIEW = View("scanner", (page.router,), script="scanner.js", style="scanner.built.css")
