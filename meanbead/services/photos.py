"""Photos that people attach: made smaller, turned upright, and without what a camera writes into them."""

from __future__ import annotations

import io

from PIL import Image, ImageOps, UnidentifiedImageError

from meanbead.core.errors import MeanBeadError

__all__ = ["LARGEST_PX", "bounded_jpeg"]

LARGEST_PX = 1600
MOST_PIXELS = 60_000_000


def bounded_jpeg(data: bytes) -> bytes:
    """A photo as a JPEG of at most :data:`LARGEST_PX` a side; place, time and camera are gone. Raises :class:`MeanBeadError`."""
    try:
        with Image.open(io.BytesIO(data)) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise MeanBeadError(
                    f"The photo has {opened.width} x {opened.height} pixels.",
                    field="file",
                    remedy="Send a smaller one.",
                )
            photo = ImageOps.exif_transpose(opened).convert("RGB")
            photo.thumbnail((LARGEST_PX, LARGEST_PX))
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise MeanBeadError("This is no photo.", field="file", remedy="Send a JPEG or PNG.") from None
    out = io.BytesIO()
    photo.save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()
