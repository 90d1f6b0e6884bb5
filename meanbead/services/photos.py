"""Photos that people attach: made smaller, turned upright, and without what a camera writes into them."""

from __future__ import annotations

import io

from PIL import Image, ImageOps, UnidentifiedImageError

from meanbead.core.errors import MeanBeadError

__all__ = ["LARGEST_PX", "THUMBNAIL_PX", "bounded_jpeg"]

LARGEST_PX = 1600
THUMBNAIL_PX = 320
MOST_PIXELS = 60_000_000


def bounded_jpeg(data: bytes, largest_px: int = LARGEST_PX) -> bytes:
    """A photo as a JPEG of at most ``largest_px`` a side; place, time and camera are gone. Raises :class:`MeanBeadError`."""
    try:
        with Image.open(io.BytesIO(data)) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise MeanBeadError(
                    f"The photo has {opened.width} x {opened.height} pixels.",
                    field="file",
                    remedy="Send a smaller one.",
                )
            photo = ImageOps.exif_transpose(opened).convert("RGB")
            photo.thumbnail((largest_px, largest_px))
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise MeanBeadError("This is no photo.", field="file", remedy="Send a JPEG or PNG.") from None
    out = io.BytesIO()
    photo.save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()
