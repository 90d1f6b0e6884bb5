"""Requests that need the engine go to a process of its own, so that it never holds up pages, lists and edits.

Everything is decided here as for any other request: whose it is, from where, whether it may. What is handed on is the work.
"""

from __future__ import annotations

import hmac
import json
from collections.abc import Callable
from dataclasses import asdict

import httpx
from apiflask import APIFlask
from flask import Response, g, request
from werkzeug.datastructures import Headers

from meanbead.api.access import Actor, actor
from meanbead.api.problems import Refused
from meanbead.core.runtime import limits

__all__ = ["HEAVY", "Inside", "hand_on", "only_from_inside"]

HEAVY = frozenset(
    [
        "estimates.estimate",
        "estimates.first_answer",
        "estimates.layers",
        "estimates.list_sensitivities",
        "advice.list_findings",
        "advice.look_at_next_moves",
        "advice.look_at_curve",
        "reports.part_report",
        "search.search_start",
        "flow_questions.ask_heat",
        "strokes.strokes_index",
        "strokes.strokes_piece",
        "strokes.look_at_first_layer",
        "part_views.insight",
        "part_views.thickness",
        "parts.add_part",
        "parts.edit_part",
        "parts.split_part",
        "recipes.add_gcode",
        "test_pieces.make_test_piece",
        "runs.start_run",
        "faults.list_causes",
        "faults.price_cause",
        "faults.try_cause",
        "calibrations.add_test_prints",
        "day.start_planned",
        "plates.add_plate",
        "plates.edit_plate",
        "plates.arrange_plate",
        "plates.get_plate",
        "plates.check_plate",
        "plates.start_plate",
        "queue.add_to_queue",
    ]
)
"""Endpoints whose work is the engine's, or reads and measures whole meshes."""

_SECRET, _ACTOR = "X-Meanbead-Inside", "X-Meanbead-Actor"
_HANDED_ON = ("Content-Type", "Content-Length", "Accept")
_GIVEN_BACK = ("Content-Type", "Content-Disposition", "Cache-Control", "Retry-After", "ETag")
_CONNECT_S, _WORK_S = 5.0, 900.0


class Inside:
    """The way to the engine's process: ``address`` is where it listens now, None while it starts."""

    def __init__(self, secret: str, address: Callable[[], str | None]) -> None:
        self.secret = secret
        self.address = address
        timeout = httpx.Timeout(_WORK_S, connect=_CONNECT_S)
        self.client = httpx.Client(timeout=timeout, limits=httpx.Limits(max_connections=60), trust_env=False)


def hand_on(app: APIFlask, inside: Inside) -> None:
    """Have an application hand heavy work on; to be registered after everything that decides on requests."""

    @app.before_request
    def to_the_engine() -> Response | None:
        if request.endpoint not in HEAVY:
            return None
        address = inside.address()
        if address is None:
            raise _away()
        headers = {name: request.headers[name] for name in _HANDED_ON if name in request.headers}
        headers["Accept-Encoding"] = "identity"  # packed once, on the way out
        headers[_SECRET] = inside.secret
        headers[_ACTOR] = json.dumps(asdict(actor() or Actor("", "guest")))
        if request.endpoint == "recipes.add_gcode":
            request.max_content_length = limits.GCODE_FILE_BYTES + limits.FORM_BYTES
        stream = request.stream  # refused here where it is too large, before any of it is handed on
        body = None if request.method in ("GET", "HEAD") else iter(lambda: stream.read(1 << 16), b"")
        try:
            answer = inside.client.request(
                request.method, f"{address}{request.full_path}", headers=headers, content=body
            )
        except httpx.TransportError:
            raise _away() from None
        kept = Headers([(name, answer.headers[name]) for name in _GIVEN_BACK if name in answer.headers])
        return Response(answer.content, status=answer.status_code, headers=kept)


def only_from_inside(app: APIFlask, secret: str) -> None:
    """Have an application answer to our own front only, and take its word for who asks."""

    @app.before_request
    def from_the_front() -> None:
        if not hmac.compare_digest(request.headers.get(_SECRET, ""), secret):
            raise Refused(403, "not-allowed", "This is for Mean Bead's own processes.")
        g.actor = Actor(**json.loads(request.headers[_ACTOR]))


def _away() -> Refused:
    return Refused(
        503, "engine-away", "The engine starts again just now; nothing was changed. Try again in a moment.", after_s=2
    )
