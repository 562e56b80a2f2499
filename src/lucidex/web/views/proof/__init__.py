"""Proof: the sheet of every picture in every place, what is written of it, and runs."""

from lucidex.web.shell.view import View
from lucidex.web.views.proof import output_choices, runs, sheet

VIEW = View("proof", (sheet.router, output_choices.router, runs.router), script="proof.js", style="proof.built.css")
