"""The API under /api: the same services, for scripts, with a token of one's own."""

from fastapi import APIRouter

from lucidex.web.api import book, folios, fonts, logos, pictures, places, uploads

router = APIRouter(prefix="/api")
router.include_router(folios.router)
router.include_router(pictures.router)
router.include_router(places.router)
router.include_router(book.router)
router.include_router(logos.router)
router.include_router(fonts.router)
router.include_router(uploads.router)
