"""The site's answers over HTTP: pages for readers, Micropub for those who write."""

import hashlib
from collections.abc import Awaitable, Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from fastapi import FastAPI, Query, Request
from fastapi.responses import FileResponse, JSONResponse, Response
from starlette.datastructures import UploadFile

from standins.pages import written
from standins.site import micropub, seed
from standins.site.clean_html import cleaned
from standins.site.freshness import still_counts, validators
from standins.site.media import MAX_BYTES, Media, UnknownKindError, kind_of
from standins.site.posts import Post, Posts, Properties, TooManyError
from standins.site.tokens import Tokens

MAX_BODY = MAX_BYTES + 1_000_000
MAX_JSON = 1_000_000
AT_ONCE = 100
FOREVER = "public, max-age=31536000, immutable"
ALWAYS_ASK = "no-cache"


def create_app(folder: Path, pictures: Path) -> FastAPI:
    """A site that remembers in `folder`; its first pages show pictures from `pictures`."""
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    posts, media, tokens = Posts(folder / "posts"), Media(folder / "media"), folder / "tokens.json"
    seed.write_first_pages(folder, posts, media, pictures)

    _answer_readers(app, posts, media)
    _answer_writers(app, posts, media, tokens)
    _keep_media(app, media, tokens)

    @app.middleware("http")
    async def tell_where_to_write(request: Request, go_on: Callable[[Request], Awaitable[Response]]) -> Response:
        answer = await go_on(request)
        if request.url.path == "/":
            answer.headers["Link"] = f'<{_base(request)}/micropub>; rel="micropub"'
        return answer

    return app


def _base(request: Request) -> str:
    return str(request.base_url).rstrip("/")


def _answer_readers(app: FastAPI, posts: Posts, media: Media) -> None:
    """Pages and files, to anybody."""

    @app.get("/")
    @app.head("/")
    def home(request: Request) -> Response:
        listed = posts.listed()
        changed = max((seed.moment(post.latest.at) for post in listed), default=datetime.fromtimestamp(0, UTC))
        return _page(request, written("site_home.html", posts=listed, base=_base(request)), changed)

    @app.get("/pages/{slug}")
    @app.head("/pages/{slug}")
    def page(request: Request, slug: str) -> Response:
        post = posts.find(slug)
        if post is None:
            return Response("There is no such page.", 404, media_type="text/plain")
        if post.is_deleted:
            return Response("This page was taken away.", 410, media_type="text/plain")
        sizes = {address: found for address in _photo_addresses(post) if (found := media.size_at(address))}
        body = written("site_page.html", post=post, base=_base(request), sizes=sizes)
        return _page(request, body, seed.moment(post.latest.at))

    @app.get("/media/{name}")
    @app.head("/media/{name}")
    def file(request: Request, name: str) -> Response:
        path = media.find(name)
        if path is None:
            return Response("There is no such file.", 404, media_type="text/plain")
        with path.open("rb") as opened:
            media_type, _ = kind_of(opened.read(16))
        tag, changed = f'"{name[:16]}"', datetime.fromtimestamp(path.stat().st_mtime, UTC)
        headers = {"Cache-Control": FOREVER, **validators(tag, changed)}
        if still_counts(request, tag, changed):
            return Response(status_code=304, headers=headers)
        return FileResponse(path, media_type=media_type, headers=headers)


def _answer_writers(app: FastAPI, posts: Posts, media: Media, tokens: Path) -> None:
    """Micropub, to whoever has a token."""

    @app.get("/micropub")
    def query(
        request: Request,
        q: str = "",
        url: str = "",
        limit: Annotated[int, Query(ge=1, le=AT_ONCE)] = 20,
        offset: Annotated[int, Query(ge=0, le=100_000)] = 0,
    ) -> Response:
        if (refused := _refused(tokens, request, None)) is not None:
            return refused
        names = request.query_params.getlist("properties[]") or request.query_params.getlist("properties")
        if q == "config":
            return JSONResponse(
                {
                    "media-endpoint": f"{_base(request)}/media-endpoint",
                    "syndicate-to": [],
                    "post-types": [{"type": "article", "name": "Page"}],
                    "q": ["config", "source", "syndicate-to", "category", "versions"],
                }
            )
        if q == "syndicate-to":
            return JSONResponse({"syndicate-to": []})
        if q == "category":
            found = sorted({str(one) for post in posts.listed() for one in post.properties.get("category", [])})
            return JSONResponse({"categories": found})
        if q == "source" and not url:
            listed = posts.listed()[offset : offset + limit]
            return JSONResponse({"items": [_source(_base(request), post) for post in listed]})
        if q in {"source", "versions"}:
            post = posts.find(_slug(_base(request), url))
            if post is None:
                return _wrong("There is no such page.")
            if q == "versions":
                return JSONResponse(
                    {
                        "versions": [
                            {"number": one.number, "at": one.at, "properties": one.properties}
                            for one in reversed(post.versions)
                        ]
                    }
                )
            shown = _absolute(_base(request), post.properties)
            if names:
                return JSONResponse({"properties": {name: shown.get(name, []) for name in names}})
            return JSONResponse({"type": list(post.types), "properties": shown})
        return _wrong("This question is not answered here.")

    @app.post("/micropub")
    async def write(request: Request) -> Response:
        try:
            asked = await _read(request)
        except micropub.WrongRequestError as error:
            return _wrong(str(error))
        try:
            if (refused := _refused(tokens, request, asked.action, asked.access_token)) is not None:
                return refused
            return await _done(_base(request), posts, media, asked)
        except micropub.WrongRequestError as error:
            return _wrong(str(error))
        except UnknownKindError as error:
            return _wrong(str(error))
        except TooManyError:
            return JSONResponse({"error": "invalid_request", "error_description": "The site is full."}, 507)


def _keep_media(app: FastAPI, media: Media, tokens: Path) -> None:
    """The media endpoint."""

    @app.get("/media-endpoint")
    def query_media(
        request: Request,
        q: str = "",
        limit: Annotated[int, Query(ge=1, le=AT_ONCE)] = 20,
        offset: Annotated[int, Query(ge=0, le=100_000)] = 0,
    ) -> Response:
        if (refused := _refused(tokens, request, "media")) is not None:
            return refused
        if q != "source":
            return _wrong("This question is not answered here.")
        shown = media.listed()[offset : offset + limit]
        return JSONResponse(
            {
                "items": [
                    {
                        "url": f"{_base(request)}/media/{one.name}",
                        "published": one.published,
                        "mime_type": one.media_type,
                        "size": one.byte_count,
                    }
                    for one in shown
                ]
            }
        )

    @app.post("/media-endpoint")
    async def upload(request: Request) -> Response:
        if (refused := _refused(tokens, request, "media")) is not None:
            return refused
        if not _is_bounded(request):
            return JSONResponse({"error": "invalid_request", "error_description": "It is too large."}, 413)
        form = await request.form(max_files=1, max_fields=10)
        sent = form.get("file")
        if not isinstance(sent, UploadFile):
            return _wrong("A file is sent as the part “file”.")
        try:
            name = media.put(await _content(sent), sent.filename or "picture")
        except (UnknownKindError, micropub.WrongRequestError) as error:
            return _wrong(str(error))
        return Response(status_code=201, headers={"Location": f"{_base(request)}/media/{name}"})


def _photo_addresses(post: Post) -> list[str]:
    photos = post.properties.get("photo", [])
    return [str(one.get("value", "")) if isinstance(one, dict) else str(one) for one in photos]


def _page(request: Request, body: str, changed: datetime) -> Response:
    """A page that may be kept, and is asked for anew each time whether it still counts."""
    tag = f'"{hashlib.sha256(body.encode()).hexdigest()[:20]}"'
    headers = {"Cache-Control": ALWAYS_ASK, **validators(tag, changed)}
    if still_counts(request, tag, changed):
        return Response(status_code=304, headers=headers)
    return Response(body, media_type="text/html; charset=utf-8", headers=headers)


def _wrong(words: str) -> Response:
    return JSONResponse({"error": "invalid_request", "error_description": words}, 400)


def _refused(path: Path, request: Request, scope: str | None, in_body: str | None = None) -> Response | None:
    """Why somebody may not do this; None where they may."""
    scheme, _, secret = request.headers.get("authorization", "").partition(" ")
    given = secret.strip() if scheme.lower() == "bearer" else ""
    if given and in_body:
        return _wrong("The token is sent in the header or in the body, not in both.")
    scopes = Tokens.read(path).of(given or in_body or "")
    if not (given or in_body):
        return JSONResponse({"error": "unauthorized"}, 401, headers={"WWW-Authenticate": "Bearer"})
    if scopes is None:
        return JSONResponse(
            {"error": "unauthorized"}, 401, headers={"WWW-Authenticate": 'Bearer error="invalid_token"'}
        )
    if scope is not None and scope not in scopes:
        return JSONResponse({"error": "insufficient_scope", "scope": scope}, 403)
    return None


def _is_bounded(request: Request) -> bool:
    """Whether a body says how long it is, and that is not too much."""
    length = request.headers.get("content-length", "")
    return length.isdecimal() and int(length) <= MAX_BODY


async def _read(request: Request) -> micropub.Request:
    if not _is_bounded(request):
        raise micropub.WrongRequestError("It is too large.")
    if request.headers.get("content-type", "").startswith("application/json"):
        content = b""
        async for piece in request.stream():
            content += piece
            if len(content) > MAX_JSON:
                raise micropub.WrongRequestError("It is too large.")
        return micropub.of_json(content)
    return micropub.of_form(await request.form(max_files=20, max_fields=micropub.MAX_VALUES))


async def _content(file: UploadFile) -> bytes:
    content = await file.read(MAX_BYTES + 1)
    if len(content) > MAX_BYTES:
        raise micropub.WrongRequestError("It is too large.")
    return content


async def _done(base: str, posts: Posts, media: Media, asked: micropub.Request) -> Response:
    if asked.action == "create":
        properties: Properties = dict(asked.properties)
        for name, file in asked.files:
            kept = media.put(await _content(file), file.filename or "picture")
            properties[name] = [*properties.get(name, []), f"{base}/media/{kept}"]
        if not properties:
            raise micropub.WrongRequestError("A page says something.")
        called = [str(one) for name in ("name", "summary", "content") for one in properties.get(name, [])]
        made = posts.create(_rooted(base, cleaned(properties)), called[0] if called else "page")
        return Response(status_code=201, headers={"Location": f"{base}/pages/{made.slug}"})
    slug = _slug(base, asked.url)
    try:
        if asked.action == "update":
            posts.change(slug, lambda before: _updated(base, before, asked))
        else:
            posts.mark(slug, asked.action == "delete")
    except KeyError as error:
        raise micropub.WrongRequestError("There is no such page.") from error
    return Response(status_code=204)


def _updated(base: str, before: Properties, asked: micropub.Request) -> Properties:
    """What is told apart by its address is told apart by the whole of it."""
    return _rooted(base, cleaned(micropub.updated(_absolute(base, before), asked)))


def _slug(base: str, url: str) -> str:
    return url.removeprefix(f"{base}/pages/") if url.startswith(f"{base}/pages/") else ""


def _source(base: str, post: Post) -> dict[str, object]:
    address = f"{base}/pages/{post.slug}"
    return {"type": list(post.types), "properties": {**_absolute(base, post.properties), "url": [address]}}


def _absolute(base: str, properties: Properties) -> Properties:
    """Properties whose photos have whole addresses; they are kept without the host, which may change."""
    return _photos(properties, lambda address: f"{base}{address}" if address.startswith("/media/") else address)


def _rooted(base: str, properties: Properties) -> Properties:
    return _photos(properties, lambda address: address.removeprefix(base) if "/media/" in address else address)


def _photos(properties: Properties, alter: Callable[[str], str]) -> Properties:
    photos = [
        {**one, "value": alter(str(one.get("value", "")))} if isinstance(one, dict) else alter(str(one))
        for one in properties.get("photo", [])
    ]
    return {**properties, "photo": list(photos)} if photos else properties
