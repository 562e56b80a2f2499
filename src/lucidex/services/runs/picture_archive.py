"""The files of one picture for all its places, as one archive, made while it is read."""

from collections.abc import Iterator
from contextlib import suppress

from lucidex.core.errors import NotFoundError, UserError
from lucidex.core.proof.file_list import USUAL_PATTERN, list_files
from lucidex.core.proof.names import web_stem
from lucidex.records.models import now
from lucidex.services.folios.folios import read_folio
from lucidex.services.house.workshop import Workshop
from lucidex.services.people.events import EventKind, note_alone
from lucidex.services.people.people import Actor
from lucidex.services.pictures.documents import read_picture
from lucidex.services.proof.proof_sheet import columns_of, proof_cell
from lucidex.services.rendering.renderer import Renderer
from lucidex.services.runs.archives import Packed, packed
from lucidex.services.runs.runs import naming_of, today


def archive_of_picture(
    renderer: Renderer, workshop: Workshop, actor: Actor, picture_id: int
) -> tuple[str, Iterator[bytes]]:
    """A name for the archive, and its bytes. What cannot be made is named in it, with the reason.

    NotFoundError, before the first byte, where no place hangs or the picture is not the person's to see.
    """
    state = read_picture(workshop, actor, picture_id)
    folio = read_folio(workshop, actor, state.folio_id)
    cells = [cell for cell in (proof_cell(workshop, state, one) for one in columns_of(folio.places)) if cell.is_made]
    if not cells:
        raise NotFoundError("No place hangs here yet, so there is nothing to download.")
    number = 1 + (folio.position(picture_id) or 0)
    makable = [(cell, cell.placed) for cell in cells if cell.placed is not None]
    namings = [naming_of(folio, number, today(), cell, placed) for cell, placed in makable]
    listed = list_files(USUAL_PATTERN, namings)
    troubles = [f"{cell.place.name}: {cell.trouble}" for cell in cells if cell.placed is None]

    def files() -> Iterator[Packed]:
        for (_, placed), name in zip(makable, listed, strict=True):
            try:
                result = renderer.files.render_file(placed.rendering)
            except UserError as error:
                yield Packed(name.path, None, now(), error.sentence)
                continue
            content = b""
            with suppress(FileNotFoundError):
                content = workshop.results.read(result.blob_sha256)
            yield Packed(name.path, content or None, now(), "" if content else "Its file is gone; try again.")

    stem = web_stem(state.file_name)
    note_alone(workshop, actor.id, EventKind.DOWNLOAD, f"Fetched “{state.file_name}” for {len(listed)} places.")
    return f"{stem}.zip", packed(files(), troubles)
