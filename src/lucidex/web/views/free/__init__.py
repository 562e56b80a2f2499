"""Free pictures: what libraries and museums give away."""

from lucidex.web.shell.view import View
from lucidex.web.views.free import page

VIEW = View("free", (page.router,), script="free.js", style="free.built.css")
