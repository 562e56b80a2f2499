"""A site: its pages, and the pictures taken from them."""

from lucidex.web.shell.view import View
from lucidex.web.views.site import page

VIEW = View("site", (page.router,), script="site.js", style="site.built.css")
