"""Errors as problem details (RFC 9457): every one says which field is at fault and what to do."""

from __future__ import annotations

import logging
import math
from functools import lru_cache, singledispatch
from typing import Any

from apiflask import APIFlask
from apiflask.exceptions import HTTPError
from flask import Response, json
from psycopg.errors import DiskFull
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm.exc import StaleDataError
from werkzeug.exceptions import HTTPException

from meanbead.api.schema import Schema
from meanbead.api.stored import stored_out
from meanbead.core.errors import MeanBeadError, OpenSurface, SeveralModels, UnitUnclear
from meanbead.core.model.base import Model
from meanbead.core.runtime import limits
from meanbead.core.text.explain import explain, field_label
from meanbead.store.rows import NotFound, Stale

_LOG = logging.getLogger(__name__)


class FieldProblem(BaseModel):
    """One field's part of a problem."""

    field: str
    message: str
    code: str = "invalid"


class OpenUpload(Exception):
    """A file whose surface is open; it is kept under ``upload_id`` until somebody has decided."""

    def __init__(self, problem: OpenSurface, upload_id: int) -> None:
        super().__init__(str(problem))
        self.problem, self.upload_id = problem, upload_id


class Refused(Exception):
    """Refused before anything was done; ``code`` tells programs why, ``after_s`` when it may be tried again."""

    def __init__(self, status: int, code: str, detail: str, *, after_s: float | None = None) -> None:
        super().__init__(detail)
        self.status, self.code, self.detail, self.after_s = status, code, detail, after_s


class Problem(BaseModel):
    """RFC 9457 problem details. ``errors`` names the fields; ``stored`` is what stands now after a stale write;
    ``models`` are those of an archive of which one has to be named. ``upload_id`` is a file that may be closed by guessing,
    and ``sheets`` says that it may be made of sheets without thickness."""

    type: str = "about:blank"
    title: str = ""
    status: int = 500
    detail: str = ""
    errors: list[FieldProblem] = []
    suggested_unit: str | None = None
    extents: list[float] | None = None
    stored: dict[str, Any] | None = None
    models: list[str] | None = None
    upload_id: int | None = None
    sheets: bool | None = None


def _urn(code: str) -> str:
    return f"urn:meanbead:{code.replace('_', '-')}"


def answer(problem: Problem) -> Response:
    """A problem as a response."""
    body = json.dumps(problem.model_dump(exclude_none=True))
    return Response(body, status=problem.status, content_type="application/problem+json")


def register(app: APIFlask) -> None:
    """Answer every error of the application with problem details."""

    @app.error_processor
    def from_framework(error: HTTPError) -> Response:
        cause = error.__cause__
        if isinstance(cause, ValidationError):
            return answer(_invalid(cause))
        return answer(_plain(error.status_code, error.message or ""))

    @app.errorhandler(HTTPException)
    def from_http(error: HTTPException) -> Response:
        detail = error.description or str(error.name)
        if error.code == 413:
            detail = (
                f"The file is larger than the limit: {limits.megabytes(limits.PART_FILE_BYTES)} for a part (export fewer "
                f"triangles), {limits.megabytes(limits.GCODE_FILE_BYTES)} for G-code."
            )
        return answer(_plain(error.code or 500, detail))

    @app.errorhandler(ValidationError)
    def from_model(error: ValidationError) -> Response:
        return answer(_invalid(error))

    @app.errorhandler(MeanBeadError)
    def from_core(error: MeanBeadError) -> Response:
        return answer(
            Problem(
                type=_urn(error.code),
                title=error.message,
                status=422,
                detail=str(error),
                errors=[FieldProblem(field=error.field, message=str(error), code=error.code)] if error.field else [],
                **_members(error),
            )
        )

    @app.errorhandler(Refused)
    def from_refused(error: Refused) -> Response:
        title = HTTP_TITLES.get(error.status, "Not allowed.")
        response = answer(Problem(type=_urn(error.code), title=title, status=error.status, detail=error.detail))
        if error.after_s is not None:
            response.headers["Retry-After"] = str(math.ceil(error.after_s))
        return response

    @app.errorhandler(OpenUpload)
    def from_open(error: OpenUpload) -> Response:
        return answer(
            Problem(
                type=_urn(error.problem.code),
                title=error.problem.message,
                status=422,
                detail=str(error.problem),
                errors=[FieldProblem(field="file", message=str(error.problem), code=error.problem.code)],
                upload_id=error.upload_id,
                sheets=error.problem.sheets,
            )
        )

    @app.errorhandler(NotFound)
    def from_missing(error: NotFound) -> Response:
        return answer(_plain(404, f"{error} It may have been deleted: go back to the list."))

    @app.errorhandler(Stale)
    def from_stale(error: Stale) -> Response:
        return answer(
            Problem(
                type=_urn("stale"),
                title="Somebody else changed this in between.",
                status=409,
                detail="Nothing was overwritten. Look at what is stored now, and make your change again if it still fits.",
                stored=stored_out(error.row).model_dump(mode="json"),
            )
        )

    @app.errorhandler(StaleDataError)
    def from_same_moment(error: StaleDataError) -> Response:
        _LOG.info("two changes of one row at the same moment", exc_info=error)
        return answer(
            _plain(
                409,
                "Somebody else changed this at the same moment; nothing of yours was stored. Make your change again.",
            )
        )

    @app.errorhandler(OperationalError)
    def from_database(error: OperationalError) -> Response:
        if isinstance(error.orig, DiskFull):
            _LOG.warning("the disk is full")
            told = "The disk that holds the workshop is full; nothing was changed. Make room on it, then do it again."
            return answer(_plain(507, told))
        _LOG.warning("the database did not answer", exc_info=error)
        return answer(_plain(503, "The database does not answer just now; nothing was changed. Try again in a moment."))

    @app.errorhandler(Exception)
    def from_defect(error: Exception) -> Response:
        _LOG.exception("unexpected error", exc_info=error)
        return answer(_plain(500, "Something went wrong in the program; nothing was changed. The log has the details."))


@singledispatch
def _members(error: MeanBeadError) -> dict[str, Any]:
    """What a kind of error tells beside its words."""
    return {}


@_members.register
def _(error: UnitUnclear) -> dict[str, Any]:
    return {"suggested_unit": error.suggested, "extents": list(error.extents)}


@_members.register
def _(error: SeveralModels) -> dict[str, Any]:
    return {"models": error.names}


def _plain(status: int, detail: str) -> Problem:
    return Problem(type="about:blank", title=HTTP_TITLES.get(status, "Error"), status=status, detail=detail)


def _invalid(error: ValidationError) -> Problem:
    # A validation error carries its model's name, which finds the keys that could have been meant.
    found = explain(error, _models().get(error.title))
    return Problem(
        type=_urn("invalid"),
        title="Some fields cannot be used as they are.",
        status=422,
        detail=" ".join(f"{field_label(problem.field)}: {problem.message}" for problem in found),
        errors=[FieldProblem(field=problem.field, message=problem.message, code=problem.code) for problem in found],
    )


@lru_cache(maxsize=1)
def _models() -> dict[str, type[BaseModel]]:
    """Every model that a request may be checked by, by its name."""
    found: dict[str, type[BaseModel]] = {}
    left: list[type[BaseModel]] = [Schema, Model]
    while left:
        model = left.pop()
        found[model.__name__] = model
        left += model.__subclasses__()
    return found


HTTP_TITLES = {
    400: "The request could not be understood.",
    401: "Sign in first.",
    403: "Not allowed.",
    404: "Not found.",
    405: "Not possible here.",
    409: "Somebody else changed this in between.",
    413: "Too large.",
    429: "Too many tries.",
    500: "Internal error.",
    503: "Not just now.",
    507: "No room.",
}
