"""What somebody sees who may only look: pictures as they stand, originals where the owner said so."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotAllowedError
from lucidex.core.proof.names import web_stem
from lucidex.records.models import Cell, Document, Picture, Snapshot
from lucidex.services.folios.folios import version_of, versions_of
from lucidex.services.people.people import Actor


def check_original(session: Session, actor: Actor, picture: Picture) -> None:
    """NotAllowedError where the original of a picture is not for whoever asks."""
    seen = version_of(session, actor, picture.id)
    if not seen.only_looks:
        return
    if not seen.originals:
        raise NotAllowedError("This folio is shared with you to look at, without originals. Ask its owner for them.")
    document = PictureDocument.read(session.get_one(Document, picture.id).snapshot.body)
    if document.hides:
        raise NotAllowedError("Something is hidden on this picture, so its original is not for those who only look.")


def check_made_of(session: Session, actor: Actor, picture_id: int, made_of: PictureDocument) -> None:
    """NotAllowedError where a file was made before something was hidden, and whoever asks may only look."""
    seen = version_of(session, actor, picture_id)
    document = PictureDocument.read(session.get_one(Document, picture_id).snapshot.body)
    if seen.only_looks and document.hides and document.restorations != made_of.restorations:
        raise NotAllowedError("Since this file was made, something was hidden on its picture.")


def shown_paths(session: Session, actor: Actor, cells: Sequence[Cell]) -> dict[int, str]:
    """Paths of the files of a run, by its cells.

    Where something is hidden, whoever may only look sees none of the names that files had before the picture was
    called otherwise.
    """
    seen = versions_of(session, actor, list({cell.picture_id for cell in cells}))
    looked_at = [one for one, found in seen.items() if found.only_looks]
    now = {one: PictureDocument.read(session.get_one(Document, one).snapshot.body) for one in looked_at}
    called = {one: document.file_name for one, document in now.items() if document.hides}
    return {cell.id: _shown_path(session, cell, called.get(cell.picture_id)) for cell in cells}


def _shown_path(session: Session, cell: Cell, called: str | None) -> str:
    if called is None or session.get_one(Snapshot, cell.snapshot_id).body.get("file_name") == called:
        return cell.path
    folder, _, name = cell.path.rpartition("/")
    suffix = name.rpartition(".")[2]
    return f"{folder}/{web_stem(called)}-{cell.id}.{suffix}".lstrip("/")
