"""Weigh: one picture in one place, by weight and likeness."""

from lucidex.web.shell.view import View
from lucidex.web.views.weigh import page

VIEW = View("weigh", (page.router,), script="weigh.js", style="weigh.built.css")
