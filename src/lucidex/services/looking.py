"""What somebody sees who may only look: pictures as they stand, originals where the owner said so."""

from sqlalchemy.orm import Session

from lucidex.core.document import PictureDocument
from lucidex.core.errors import NotAllowedError
from lucidex.records.models import Document, Picture
from lucidex.services.folios import version_of
from lucidex.services.people import Actor


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
