"""Which files hold several pictures, or none of pixels; by their first bytes, whatever they are called."""

from dataclasses import dataclass

from tidymargin.core.base.errors import DomainError

HEAD_BYTES = 4096
"""How many first bytes are looked at."""


@dataclass(frozen=True, slots=True)
class Member:
    """One picture out of a file: its name, its bytes as a picture file, and what was done to get it; or why it is none."""

    name: str
    data: bytes
    remark: str
    error: DomainError | None = None


def find_kind(head: bytes) -> str:
    """Return what the first bytes of a file show it to hold: "pdf", "zip", "svg", "tiff", or "" for anything else."""
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"PK\x03\x04", b"PK\x05\x06")):
        return "zip"
    if head.startswith((b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")):
        return "tiff"
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:HEAD_BYTES]
    if text[:5].lower() in (b"<?xml", b"<svg ", b"<svg>", b"<!--", b"<!doc"[:5]):
        return "svg"
    return ""
