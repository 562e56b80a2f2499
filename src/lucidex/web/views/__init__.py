"""The views. Who adds one makes a folder here, with its routes, `templates/` and `js/`, and names it in `VIEWS`."""

from lucidex.web.shell.templating import add_view
from lucidex.web.views import (
    account,
    bench,
    free,
    gather,
    outside,
    people,
    places,
    proof,
    routines,
    scanner,
    site,
    start,
    weigh,
)

# those that are asked for while something moves come first: routes are matched in order
VIEWS = (
    bench.VIEW,
    proof.VIEW,
    weigh.VIEW,
    scanner.VIEW,
    free.VIEW,
    site.VIEW,
    outside.VIEW,
    account.VIEW,
    people.VIEW,
    start.VIEW,
    gather.VIEW,
    places.VIEW,
    routines.VIEW,
)
for view in VIEWS:
    add_view(view)
