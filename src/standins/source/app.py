"""The source's answers over HTTP."""

import hashlib
import json
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from standins.pages import shown
from standins.source import image, presentation
from standins.source.catalogue import read_catalogue

ANYBODY = {"Access-Control-Allow-Origin": "*"}
A_DAY = "public, max-age=86400"
LEVEL = '<http://iiif.io/api/image/3/level2.json>;rel="profile"'


def create_app(folder: Path) -> FastAPI:
    """A source of the pictures in a folder."""
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    entries = read_catalogue(folder)

    def base(request: Request) -> str:
        return str(request.base_url).rstrip("/")

    def described(request: Request, document: dict[str, object], media_type: str) -> Response:
        body = json.dumps(document, ensure_ascii=False).encode()
        tag = f'"{hashlib.sha256(body).hexdigest()[:20]}"'
        headers = {**ANYBODY, "ETag": tag, "Cache-Control": "no-cache", "Vary": "Accept"}
        if tag in request.headers.get("if-none-match", ""):
            return Response(status_code=304, headers=headers)
        return Response(body, media_type=media_type, headers=headers)

    @app.get("/")
    def home() -> HTMLResponse:
        return shown("source.html", entries=entries.values(), names=presentation.LICENCE_NAMES)

    @app.get("/collection")
    def collection(request: Request) -> Response:
        return described(request, presentation.collection(base(request), entries.values()), presentation.MEDIA_TYPE)

    @app.get("/manifests/{entry_id}")
    def manifest(request: Request, entry_id: str) -> Response:
        entry = entries.get(entry_id)
        if entry is None:
            return Response(status_code=404, headers=ANYBODY)
        return described(request, presentation.manifest(base(request), entry), presentation.MEDIA_TYPE)

    @app.get("/images/{entry_id}")
    def image_itself(request: Request, entry_id: str) -> Response:
        if entry_id not in entries:
            return Response(status_code=404, headers=ANYBODY)
        return RedirectResponse(f"{base(request)}/images/{entry_id}/info.json", 303, headers=ANYBODY)

    @app.get("/images/{entry_id}/info.json")
    def information(request: Request, entry_id: str) -> Response:
        entry = entries.get(entry_id)
        if entry is None:
            return Response(status_code=404, headers=ANYBODY)
        wants_plain = "application/json" in request.headers.get("accept", "")
        media_type = "application/json" if wants_plain else image.MEDIA_TYPE
        answer = described(request, image.information(base(request), entry), media_type)
        answer.headers["Link"] = LEVEL
        return answer

    @app.get("/images/{entry_id}/{region}/{size}/{rotation}/{name}")
    def part(entry_id: str, region: str, size: str, rotation: str, name: str) -> Response:
        entry = entries.get(entry_id)
        if entry is None:
            return Response(status_code=404, headers=ANYBODY)
        quality, _, suffix = name.partition(".")
        try:
            content, media_type = image.deliver(entry, region, size, rotation, quality, suffix)
        except image.WrongRequestError as error:
            return Response(str(error), 400, media_type="text/plain", headers=ANYBODY)
        except image.NotDoneError as error:
            return Response(str(error), 501, media_type="text/plain", headers=ANYBODY)
        return Response(content, media_type=media_type, headers={**ANYBODY, "Cache-Control": A_DAY, "Link": LEVEL})

    return app
