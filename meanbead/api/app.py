"""Make the application."""

from __future__ import annotations

from apiflask import APIFlask
from flask_compress import Compress

from meanbead import __version__
from meanbead.api import (
    access,
    advice,
    backups,
    calibrations,
    changes,
    comments,
    day,
    describe,
    estimates,
    experiments,
    faults,
    flow_questions,
    flow_tests,
    guard,
    health,
    heavy,
    house_recipes,
    house_rules,
    jobs,
    journal,
    machines,
    network,
    pages,
    part_files,
    part_views,
    parts,
    people,
    plates,
    prints,
    problems,
    queue,
    recipes,
    reports,
    run_files,
    runs,
    samples,
    search,
    settings,
    shelf,
    sign_in,
    strokes,
    test_pieces,
    uploads,
)
from meanbead.api.context import Context, attach
from meanbead.core.estimate import Engine
from meanbead.core.runtime import limits
from meanbead.jobs.queue import Queue
from meanbead.services.backups import Backups
from meanbead.services.dispatch import Dispatch
from meanbead.store.database import Database

_NOUNS = (
    parts,
    part_files,
    uploads,
    part_views,
    recipes,
    estimates,
    settings,
    strokes,
    comments,
    advice,
    search,
    house_recipes,
    house_rules,
    shelf,
    machines,
    flow_tests,
    flow_questions,
    test_pieces,
    runs,
    run_files,
    faults,
    journal,
    calibrations,
    experiments,
    plates,
    queue,
    day,
    prints,
    reports,
    samples,
    backups,
    sign_in,
    people,
    network,
    changes,
    jobs,
    health,
)


def create_app(
    database: Database | None,
    engine: Engine | None = None,
    served: access.Access | None = None,
    *,
    inside: heavy.Inside | None = None,
    inside_secret: str | None = None,
    kept: Backups | None = None,
    dispatch: Dispatch | None = None,
) -> APIFlask:
    """The application on a database. Without one it can only describe itself (``app.spec``). ``served`` says how the
    network reaches it; left out, it does not. With ``inside`` heavy work is handed on to the engine's process, which is an
    application with the ``inside_secret``. ``kept`` is where backups are, and
    ``dispatch`` holds the lines to machines."""
    app = APIFlask(
        "meanbead",
        title="Mean Bead",
        version=__version__,
        spec_path="/api/openapi.json",
        docs_path=None,
        static_folder=None,  # type: ignore[arg-type]
    )
    app.config["MAX_CONTENT_LENGTH"] = limits.PART_FILE_BYTES + limits.FORM_BYTES
    app.config["VALIDATION_ERROR_SCHEMA"] = problems.Problem
    app.config["HTTP_ERROR_SCHEMA"] = problems.Problem
    app.config["COMPRESS_MIN_SIZE"] = 1024
    app.json.sort_keys = False  # type: ignore[attr-defined]
    if database is not None:
        attach(app, Context(database, engine or Engine(), Queue(database), kept, dispatch))
    problems.register(app)
    guard.headers(app)
    if inside_secret is None:
        guard.register(app)
        access.register(app, served or access.Access())
    else:
        access.prepare(app, access.Access())
        heavy.only_from_inside(app, inside_secret)
    if inside is not None:
        heavy.hand_on(app, inside)
    for noun in _NOUNS:
        app.register_blueprint(noun.blueprint)
    app.register_blueprint(pages.blueprint)
    describe.register(app)
    Compress(app)
    return app
