"""The built front end: its files, and its one page for every address that is not the API's."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from flask import Blueprint, Response, abort, request, send_from_directory

BUILT = Path(__file__).resolve().parents[1] / "pages"
"""Where the build puts them, so that they travel with the package."""

PACKED = {"br": ".br", "gzip": ".gz"}
"""How the build has compressed its files, the smaller first: ui/compress.js."""

blueprint = Blueprint("pages", __name__)


@blueprint.get("/assets/<path:name>")
def asset(name: str) -> Response:
    """A built file; its name holds a hash of its content, so it may be kept for ever."""
    for coding, ending in PACKED.items():
        if request.accept_encodings[coding] and (BUILT / "assets" / f"{name}{ending}").is_file():
            kind = mimetypes.guess_type(name)[0]
            response = send_from_directory(BUILT / "assets", f"{name}{ending}", mimetype=kind)
            response.headers["Content-Encoding"] = coding
            break
    else:
        response = send_from_directory(BUILT / "assets", name)
    response.headers["Vary"] = "Accept-Encoding"
    response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    return response


@blueprint.get("/")
@blueprint.get("/<path:address>")
def page(address: str = "") -> Response:
    """The page; its router reads the address."""
    if address.startswith("api/"):
        abort(404, "There is no such address in the API.")
    if address and (BUILT / address).is_file() and "/" not in address:
        return send_from_directory(BUILT, address)
    if not (BUILT / "index.html").exists():
        abort(404, "The pages are not built yet: run ./start.")
    # Phones at a machine get a small page of their own.
    response = send_from_directory(BUILT, "run.html" if address.startswith("run/") else "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response
