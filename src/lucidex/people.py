"""`python -m lucidex.people`: accounts from the terminal, while the product runs or not.

    python -m lucidex.people list
    python -m lucidex.people add LOGIN [--name NAME] [--admin]
    python -m lucidex.people password LOGIN
    python -m lucidex.people rename LOGIN NAME
    python -m lucidex.people close LOGIN
    python -m lucidex.people open LOGIN
    python -m lucidex.people admin LOGIN [--no]

A fresh password is printed once. Whoever can read the data folder acts as an administrator.
"""

import argparse
import secrets
import sys
from pathlib import Path

from lucidex.core.errors import UserError
from lucidex.launch.terminal import opened_workshop
from lucidex.services.house.workshop import Workshop
from lucidex.services.people import people
from lucidex.services.people.people import Actor

ADMINISTRATOR = Actor(0, "terminal", "Terminal", is_admin=True)


def main(arguments: list[str] | None = None) -> int:
    """Do what was asked for; the exit status."""
    wanted = _parse(arguments)
    try:
        with opened_workshop(wanted.data) as workshop:
            _act(workshop, wanted)
    except UserError as error:
        print(f"lucidex: {error.sentence}", file=sys.stderr)
        return 1
    return 0


def _parse(arguments: list[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="python -m lucidex.people", description="Accounts from the terminal.")
    parser.add_argument("--data", type=Path, default=Path("var"), help="data folder (default ./var)")
    acts = parser.add_subparsers(dest="act", required=True)
    acts.add_parser("list", help="all accounts")
    for act, message in (
        ("add", "open an account; prints its first password"),
        ("password", "give a fresh password; prints it"),
        ("rename", "another name"),
        ("close", "close an account; its sessions and tokens end"),
        ("open", "open a closed account again"),
        ("admin", "make somebody an administrator"),
    ):
        one = acts.add_parser(act, help=message)
        one.add_argument("login")
        if act == "rename":
            one.add_argument("name")
        if act == "add":
            one.add_argument("--name", default="")
            one.add_argument("--admin", action="store_true")
        if act == "admin":
            one.add_argument("--no", action="store_true", help="no longer")
    return parser.parse_args(arguments)


def _act(workshop: Workshop, wanted: argparse.Namespace) -> None:
    if wanted.act == "list":
        for person in people.read_people(workshop, ADMINISTRATOR):
            marks = " administrator" * person.is_admin + " closed" * (person.disabled_at is not None)
            print(f"{person.login}\t{person.name}{marks}")
        return
    if wanted.act == "add":
        password = secrets.token_urlsafe(people.FRESH_PASSWORD_BYTES)
        people.add_person(workshop, wanted.login, wanted.name, password, wanted.admin)
        print(password)
        return
    actor = people.find_login(workshop, wanted.login)
    if actor is None:
        raise UserError(f"Nobody signs in as “{wanted.login}”.")
    if wanted.act == "password":
        print(people.reset_password(workshop, ADMINISTRATOR, actor.id))
    elif wanted.act == "rename":
        people.rename_person(workshop, ADMINISTRATOR, actor.id, wanted.name)
    elif wanted.act == "close":
        people.disable_person(workshop, ADMINISTRATOR, actor.id)
    elif wanted.act == "open":
        people.enable_person(workshop, ADMINISTRATOR, actor.id)
    else:
        people.make_admin(workshop, ADMINISTRATOR, actor.id, not wanted.no)


if __name__ == "__main__":
    raise SystemExit(main())
