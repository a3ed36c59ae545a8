"""Source text is data: made harmless for the terminal, CSV and Markdown."""

import re
import unicodedata

# Control characters, and the marks that turn the direction of text around.
_UNSAFE = re.compile("[\x00-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ud800-\udfff]")
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "|", "%")
_MARKDOWN = re.compile(r"([\\`*_{}\[\]<>#|~])")


def plain(text: object) -> str:
    """Return text on one line with every control character shown as `\\xNN` or `\\uNNNN`."""

    def shown(match: re.Match[str]) -> str:
        code = ord(match[0])
        return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"

    return _UNSAFE.sub(shown, unicodedata.normalize("NFC", str(text)))


def csv_cell(text: object) -> str:
    """Return text that no spreadsheet takes for a formula."""
    safe = plain(text)
    return f"'{safe}" if safe.startswith(_FORMULA) and not re.fullmatch(r"-?\d+(\.\d+)?", safe) else safe


def markdown(text: object) -> str:
    """Return text that Markdown shows as it is."""
    return _MARKDOWN.sub(r"\\\1", plain(text)).replace("&", "&amp;")
