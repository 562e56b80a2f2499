"""The demo data: Marrow Lane Glasshouse prepares its autumn. Loaded once; a start that was killed goes on."""

import math
from collections.abc import Callable
from pathlib import Path

from lucidex.core.document import Framing
from lucidex.core.finish.marks import Mark, MarkKind
from lucidex.core.line.deeds import AddStep
from lucidex.core.line.places import read_demand
from lucidex.core.line.reader import read_line
from lucidex.core.stamp.licences import LICENCES
from lucidex.core.stamp.texts import Texts
from lucidex.core.steps.base import plain
from lucidex.records.models import Scope
from lucidex.services.folios import folios
from lucidex.services.house.workshop import Workshop
from lucidex.services.intake import intake
from lucidex.services.intake.intake import Arrival
from lucidex.services.people.people import Actor, add_person, find_login
from lucidex.services.pictures import edits, notes
from lucidex.services.pictures.documents import change
from lucidex.services.places import places

DEMO_LOGIN, DEMO_PASSWORD, COLLEAGUE = "mara", "evenings-under-glass", "ilse"
FOLIOS = {
    "Autumn evenings": (
        "dome-at-dusk.jpg",
        "fern-fronds.jpg",
        "rosette.jpg",
        "terraces.jpg",
        "keeper.jpg",
        "IMG_0412.JPG",
        "word-mark.png",
        "orchid-under-lamp.jpg",
        "evening-walk.jpg",
        "terraces-in-haze.jpg",
    ),
    "Seed swap": ("seed-packet.jpg", "rosette.jpg"),
    "Open day": ("visitors.jpg", "delivery-cart.jpg", "by-flash.jpg", "old-print.jpg"),
    "Letters and signs": ("pond-tilted.jpg", "signature-scan.jpg", "section.png", "seal.png"),
    "Winter programme": (
        "dome-at-dusk.jpg",
        "dome-for-the-site.jpg",
        "terraces.jpg",
        "terraces-small.jpg",
        "word-mark.svg",
        "IMG_0415.HEIC",
        "programme.pdf",
        "packet-for-print.jpg",
        "seed-packet.jpg",
        "seed-packet, copy.jpg",
    ),
}
GROUPS = {
    "IMG_0415.HEIC": "phone",
    "programme.pdf": "printer",
    "packet-for-print.jpg": "printer",
    "seed-packet.jpg": "printer",
    "seed-packet, copy.jpg": "printer",
    "dome-for-the-site.jpg": "from the site",
    "terraces-small.jpg": "from the site",
}  # of the winter programme, whose pictures were sent by several people
SAME_AS = {"seed-packet, copy.jpg": "seed-packet.jpg"}  # the same file under another name
PLACES = {
    "Autumn evenings": (
        ("Site banner", "1600x640 under 180 kB"),
        ("Talk slide", "1920x1080"),
        ("Upright post", "1080x1350 under 250 kB"),
        ("Event card", "800x420 under 100 kB as webp"),
        ("Letter foot", "180x70 show whole"),
    ),
    "Seed swap": (("Event card", "800x420 under 100 kB"), ("Square post", "1080x1080")),
    "Open day": (("Page picture", "1200x800 under 200 kB"), ("Event card", "800x420 under 100 kB")),
    "Letters and signs": (
        ("Letterhead box", "180x70 or a multiple, show whole on clear as png"),
        ("Footer strip", "1600x120 show whole keep left not enlarged"),
        ("Wall panel", "1200x800"),
    ),
    "Winter programme": (("Programme cover", "1748x1240 under 600 kB"), ("Event card", "800x420 under 100 kB")),
}
ALTERNATIVE_TEXTS = {
    "dome-at-dusk.jpg": "The glass dome of Marrow Lane Glasshouse, lit from inside, mirrored in its pond at dusk.",
    "fern-fronds.jpg": "Fern fronds close up, bright green in falling light.",
    "rosette.jpg": "A grey-green succulent rosette with pink edges and drops of water, on dark gravel.",
    "keeper.jpg": "Painted portrait of a keeper with straw hat, round glasses and white beard.",
    "orchid-under-lamp.jpg": "A spray of white orchids with plum-coloured lips, in front of a greenhouse wall.",
    "word-mark.png": "Marrow Lane Glasshouse",
    "word-mark.svg": "Marrow Lane Glasshouse",
    "programme.pdf": "Cover of the programme: Winter evenings, Wednesdays in December, from six.",
    "visitors.jpg": "Two visitors in the palm room, one with a badge on the jacket.",
    "delivery-cart.jpg": "The cream and green delivery van of Marrow Lane Glasshouse before the potting shed.",
    "by-flash.jpg": "Three friends at an evening opening, photographed by flash.",
    "old-print.jpg": "An old brown print of the terraces, scratched, folded and with a torn corner.",
    "seal.png": "Seal of Marrow Lane Glasshouse: a dome over water.",
}
LICENCE = LICENCES[0]
FOCAL_POINTS = {"dome-at-dusk.jpg": (0.62, 0.64), "keeper.jpg": (0.52, 0.36), "seed-packet.jpg": (0.45, 0.42)}
CROPS = {"dome-at-dusk.jpg": "3:2"}


def load_demo(workshop: Workshop, pictures: Path, say: Callable[[str], None]) -> None:
    """Make the demo account, its folios, pictures and places, as far as they are missing."""
    done = workshop.data_folder / "demo-loaded"
    if done.exists():
        return
    actor = find_login(workshop, DEMO_LOGIN) or add_person(workshop, DEMO_LOGIN, "Mara Ellery", DEMO_PASSWORD)
    say("Loading the demo pictures …")
    for name, files in reversed(FOLIOS.items()):
        _load_folio(workshop, actor, pictures, name, files)
    _remark(workshop, actor)
    done.touch()


def _load_folio(workshop: Workshop, actor: Actor, pictures: Path, name: str, files: tuple[str, ...]) -> None:
    folio_id = next((row.id for row in folios.list_folios(workshop, actor) if row.name == name), None)
    folio_id = folio_id or folios.make_folio(workshop, actor, name)
    view = folios.read_folio(workshop, actor, folio_id)
    here = {picture.file_name for picture in view.pictures}
    hung = {place.name for place in view.places}
    for place_name, typed in PLACES[name]:
        if place_name not in hung:
            places.hang_place(workshop, actor, folio_id, read_demand(typed).demand(), place_name)
    for file in files:
        if file not in here:
            _bring_in(workshop, actor, folio_id, pictures / file, name)


def _remark(workshop: Workshop, actor: Actor) -> None:
    """A colleague has looked at the open day's pictures, and circled what must not go out."""
    colleague = find_login(workshop, COLLEAGUE) or add_person(workshop, COLLEAGUE, "Ilse Brandt", DEMO_PASSWORD)
    folio_id = next(row.id for row in folios.list_folios(workshop, actor) if row.name == "Open day")
    folios.share_folio(workshop, actor, folio_id, COLLEAGUE, Scope.LOOK)
    view = folios.read_folio(workshop, actor, folio_id)
    picture = next(one for one in view.pictures if one.file_name == "delivery-cart.jpg")
    if notes.read_notes(workshop, colleague, picture.id):
        return
    around = tuple(
        (round(0.42 + 0.09 * math.cos(turn / 8), 4), round(0.63 + 0.12 * math.sin(turn / 8), 4)) for turn in range(53)
    )
    circle = Mark(kind=MarkKind.PEN, points=around, width=0.008)
    note_id = notes.add_note(
        workshop, colleague, picture.id, "Can you hide the plate before this goes out?", [circle]
    )
    notes.answer(workshop, actor, picture.id, note_id, "Yes, this afternoon.")


def _bring_in(workshop: Workshop, actor: Actor, folio_id: int, path: Path, name: str) -> None:
    with path.with_name(SAME_AS.get(path.name, path.name)).open("rb") as file:
        group = GROUPS.get(path.name, "") if name == "Winter programme" else ""
        pieces = iter(lambda: file.read(1 << 20), b"")
        taken = intake.bring_in(workshop, actor, folio_id, path.name, pieces, Arrival(group=group))
    version = 1
    if (text := ALTERNATIVE_TEXTS.get(path.name)) is not None:
        alter = edits.set_texts(
            Texts(alternative=text, credit="M. Ellery", licence=LICENCE.name, licence_address=LICENCE.address)
        )
        version = change(workshop, actor, taken.picture_id, version, "Wrote the texts", alter).version
    meant = read_line(CROPS.get(path.name, "")).meant
    for deed in meant.deeds if meant else ():
        if isinstance(deed, AddStep):
            alter = edits.add_step(deed.step)
            version = change(workshop, actor, taken.picture_id, version, plain(deed.step.sentence()), alter).version
    if (focal := FOCAL_POINTS.get(path.name)) is not None:
        framing = Framing(focal_x=focal[0], focal_y=focal[1])
        for place in folios.read_folio(workshop, actor, folio_id).places:
            if places.demand_of(place).is_cropped:
                alter = edits.set_framing(place.id, framing)
                version = change(
                    workshop, actor, taken.picture_id, version, f"Framed for “{place.name}”", alter
                ).version
