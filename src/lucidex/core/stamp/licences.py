"""The usual free licences with the addresses at which they are written out, and words for kept rights."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Licence:
    """A licence as it is written beside a picture; `address` is where it is written out, if anywhere."""

    name: str
    address: str = ""
    words: str = ""


_CC = "https://creativecommons.org/"
LICENCES: tuple[Licence, ...] = (
    Licence("CC BY 4.0", f"{_CC}licenses/by/4.0/", "may be used by anybody who names the author"),
    Licence("CC BY-SA 4.0", f"{_CC}licenses/by-sa/4.0/", "the same, and what is made of it stays as free"),
    Licence("CC BY-ND 4.0", f"{_CC}licenses/by-nd/4.0/", "unchanged only, and the author is named"),
    Licence("CC BY-NC 4.0", f"{_CC}licenses/by-nc/4.0/", "not for money, and the author is named"),
    Licence("CC BY-NC-SA 4.0", f"{_CC}licenses/by-nc-sa/4.0/", "not for money, and what is made of it stays as free"),
    Licence("CC BY-NC-ND 4.0", f"{_CC}licenses/by-nc-nd/4.0/", "not for money, and unchanged only"),
    Licence("CC0 1.0", f"{_CC}publicdomain/zero/1.0/", "given to everybody"),
    Licence("Public Domain Mark 1.0", f"{_CC}publicdomain/mark/1.0/", "free of known rights"),
    Licence("All rights reserved", "", "used with the author's leave"),
)
_BY_NAME = {one.name.casefold(): one for one in LICENCES}
_BY_ADDRESS = {one.address.rstrip("/").partition("//")[2]: one for one in LICENCES if one.address}


def licence_named(name: str) -> Licence | None:
    """A licence of the list by its name, whatever the case of its letters.

    >>> licence_named("cc by 4.0").address
    'https://creativecommons.org/licenses/by/4.0/'
    """
    return _BY_NAME.get(" ".join(name.split()).casefold())


def licence_at(address: str) -> Licence | None:
    """A licence of the list by the address at which it is written out.

    >>> licence_at("http://creativecommons.org/licenses/by/4.0").name
    'CC BY 4.0'
    """
    return _BY_ADDRESS.get(address.strip().rstrip("/").partition("//")[2].removeprefix("www."))
