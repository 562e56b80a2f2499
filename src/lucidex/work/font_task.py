"""The task that reads a face which somebody brought in; it runs in a confined process."""

from io import BufferedReader, BufferedWriter

from lucidex.core.finish.text.own_faces import MAX_FONT_BYTES, prepared_face


def prepare(file: BufferedReader, out: BufferedWriter, sha256: str) -> str:
    """Write a face as it is used; what it says of itself, as JSON."""
    facts, content = prepared_face(file.read(MAX_FONT_BYTES + 1), sha256)
    out.write(content)
    return facts.model_dump_json()
