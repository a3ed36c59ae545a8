"""From bytes on disk to UTF-8 bytes a front end can parse, or a reason why not."""

import codecs
import io
import tokenize

from mappu.inventory.model import Unfollowed
from mappu.sources.walk import MAX_BYTES, SourceFile

_BOMS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))


def load(file: SourceFile) -> tuple[bytes | None, Unfollowed | None]:
    """Return the file's bytes as UTF-8, and what was wrong with it; None for bytes that are no source at all."""
    if file.size > MAX_BYTES:
        return None, Unfollowed(file.path, 0, f"not read: {file.size:,} bytes, more than {MAX_BYTES:,}")
    try:
        data = file.read()
    except OSError as error:
        return None, Unfollowed(file.path, 0, f"could not be read: {error.strerror}")
    for mark, encoding in _BOMS:
        if data.startswith(mark):
            try:
                return data.decode(encoding).encode(), None
            except UnicodeDecodeError:
                return None, Unfollowed(file.path, 1, f"not read: starts like {encoding} and is not")
    if b"\0" in data:
        return None, Unfollowed(file.path, 0, "not read: binary, not text")
    return data, None


def as_utf8(path: str, data: bytes) -> tuple[bytes, Unfollowed | None]:
    """Return `data` as UTF-8: told by its own coding line, or with what is not UTF-8 replaced and a note of where."""
    try:
        data.decode()
    except UnicodeDecodeError as error:
        try:
            encoding, _ = tokenize.detect_encoding(io.BytesIO(data).readline)
            if encoding not in ("utf-8", "utf-8-sig"):
                return data.decode(encoding).encode(), None
        except (SyntaxError, UnicodeDecodeError, LookupError):
            pass
        line = data.count(b"\n", 0, error.start) + 1
        return data.decode("utf-8", "replace").encode(), Unfollowed(path, line, "not UTF-8: bytes were replaced")
    return data, None
