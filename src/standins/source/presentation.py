"""Collections and manifests. Source: IIIF Presentation API 3.0."""

from collections.abc import Iterable

from standins.source.catalogue import Entry

CONTEXT = "http://iiif.io/api/presentation/3/context.json"
MEDIA_TYPE = f'application/ld+json;profile="{CONTEXT}"'
THUMBNAIL = 400
LICENCE_NAMES = {
    "http://creativecommons.org/licenses/by/4.0/": "CC BY 4.0",
    "http://creativecommons.org/licenses/by-sa/4.0/": "CC BY-SA 4.0",
    "http://creativecommons.org/publicdomain/zero/1.0/": "CC0 1.0",
}

Json = dict[str, object]


def _said(*words: str) -> Json:
    return {"en": list(words)}


def _service(base: str, entry: Entry) -> list[Json]:
    return [{"id": f"{base}/images/{entry.id}", "type": "ImageService3", "profile": "level2"}]


def _thumbnail(base: str, entry: Entry) -> list[Json]:
    scale = THUMBNAIL / max(entry.width, entry.height)
    width, height = max(1, round(entry.width * scale)), max(1, round(entry.height * scale))
    return [
        {
            "id": f"{base}/images/{entry.id}/full/{width},{height}/0/default.jpg",
            "type": "Image",
            "format": "image/jpeg",
            "width": width,
            "height": height,
            "service": _service(base, entry),
        }
    ]


def collection(base: str, entries: Iterable[Entry]) -> Json:
    """All pictures."""
    return {
        "@context": CONTEXT,
        "id": f"{base}/collection",
        "type": "Collection",
        "label": _said("Free pictures of Marrow Lane and its friends"),
        "summary": _said("Drawn scenes that anybody may use, with the maker's name where the licence asks for it."),
        "items": [
            {
                "id": f"{base}/manifests/{entry.id}",
                "type": "Manifest",
                "label": _said(entry.title),
                "thumbnail": _thumbnail(base, entry),
            }
            for entry in entries
        ],
    }


def manifest(base: str, entry: Entry) -> Json:
    """One picture."""
    at = f"{base}/manifests/{entry.id}"
    name = LICENCE_NAMES.get(entry.licence, entry.licence)
    return {
        "@context": CONTEXT,
        "id": at,
        "type": "Manifest",
        "label": _said(entry.title),
        "metadata": [
            {"label": _said("Creator"), "value": {"none": [entry.maker]}},
            {"label": _said("Subjects"), "value": _said(*entry.words)},
        ],
        "rights": entry.licence,
        "requiredStatement": {"label": _said("Attribution"), "value": _said(f"{entry.maker}, {name}")},
        "provider": [
            {
                "id": f"{base}/",
                "type": "Agent",
                "label": _said("The free pictures of Marrow Lane"),
                "homepage": [{"id": f"{base}/", "type": "Text", "label": _said("Home"), "format": "text/html"}],
            }
        ],
        "thumbnail": _thumbnail(base, entry),
        "items": [
            {
                "id": f"{at}/canvas",
                "type": "Canvas",
                "width": entry.width,
                "height": entry.height,
                "items": [
                    {
                        "id": f"{at}/page",
                        "type": "AnnotationPage",
                        "items": [
                            {
                                "id": f"{at}/painting",
                                "type": "Annotation",
                                "motivation": "painting",
                                "target": f"{at}/canvas",
                                "body": {
                                    "id": f"{base}/images/{entry.id}/full/max/0/default.jpg",
                                    "type": "Image",
                                    "format": "image/jpeg",
                                    "width": entry.width,
                                    "height": entry.height,
                                    "service": _service(base, entry),
                                },
                            }
                        ],
                    }
                ],
            }
        ],
    }
