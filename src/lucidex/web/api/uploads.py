"""/api/uploads: files that arrive in parts, by tus 1.0.0, and what is made of them."""

from fastapi import APIRouter, Depends, Request

from lucidex.web.gates import tus
from lucidex.web.request.context import App, Bearer, bearer
from lucidex.web.views.start import uploads
from lucidex.web.views.start.page import Arrived

router = APIRouter(tags=["uploads"])
router.include_router(tus.router, dependencies=[Depends(bearer)])


@router.get("/uploads")
def list_uploads(app: App, actor: Bearer) -> list[uploads.OnItsWay]:
    """What was begun to be sent and not taken yet."""
    return uploads.list_uploads(app, actor)


@router.post("/uploads/{upload_id}/take")
async def take(
    request: Request, app: App, actor: Bearer, upload_id: tus.UploadId, body: uploads.TakeIn
) -> Arrived | uploads.Unpacked:
    """Make a picture of a file that has arrived, or say what an archive holds; or take one file of it (`entry`)."""
    return await uploads.take(request, app, actor, upload_id, body)
