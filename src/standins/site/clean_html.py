"""HTML that somebody wrote for a page: what a page of text and pictures needs stays, nothing that runs."""

from html.parser import HTMLParser
from typing import ClassVar

from standins.site.posts import Properties


class _Cleaner(HTMLParser):
    """Keeps what a page of text and pictures needs, and nothing that runs."""

    ALLOWED: ClassVar[dict[str, tuple[str, ...]]] = {
        "p": (),
        "h2": (),
        "h3": (),
        "ul": (),
        "ol": (),
        "li": (),
        "em": (),
        "strong": (),
        "br": (),
        "blockquote": (),
        "small": (),
        "figure": (),
        "figcaption": (),
        "picture": (),
        "a": ("href",),
        "img": ("src", "alt", "width", "height", "sizes", "srcset", "loading"),
        "source": ("srcset", "sizes", "type", "media", "width", "height"),
    }
    DROPPED = frozenset({"script", "style", "iframe", "object", "template"})

    def __init__(self) -> None:
        super().__init__(convert_charrefs=False)
        self.out: list[str] = []
        self._dropping = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in self.DROPPED:
            self._dropping += 1
        if self._dropping or tag not in self.ALLOWED:
            return
        kept = [(name, value or "") for name, value in attrs if name in self.ALLOWED[tag]]
        kept = [one for one in kept if not any(_runs(address) for address in _addresses(*one))]
        said = "".join(f' {name}="{value.replace("&", "&amp;").replace(chr(34), "&quot;")}"' for name, value in kept)
        self.out.append(f"<{tag}{said}>")

    def handle_endtag(self, tag: str) -> None:
        if tag in self.DROPPED and self._dropping:
            self._dropping -= 1
        elif not self._dropping and tag in self.ALLOWED and tag not in {"br", "img", "source"}:
            self.out.append(f"</{tag}>")

    def handle_data(self, data: str) -> None:
        if not self._dropping:
            self.out.append(data.replace("<", "&lt;"))

    def handle_entityref(self, name: str) -> None:
        self.out.append(f"&{name};")

    def handle_charref(self, name: str) -> None:
        self.out.append(f"&#{name};")


def _addresses(name: str, value: str) -> list[str]:
    """The addresses in an attribute: several in a `srcset` (HTML, 4.8.4.2.1)."""
    return [one.strip() for one in value.split(",")] if name == "srcset" else [value]


def _runs(address: str) -> bool:
    return address.strip().lower().startswith(("javascript:", "data:", "vbscript:"))


def cleaned(properties: Properties) -> Properties:
    """Properties whose HTML runs nothing in a reader's browser."""
    after = dict(properties)
    if "content" in after:
        after["content"] = [_clean_content(one) for one in after["content"]]
    return after


def _clean_content(value: object) -> object:
    if not isinstance(value, dict) or "html" not in value:
        return value
    cleaner = _Cleaner()
    cleaner.feed(str(value["html"]))
    cleaner.close()
    return {**value, "html": "".join(cleaner.out)}
