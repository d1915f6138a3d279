"""Errors as RFC 9457 problem details, with a sentence an operator understands."""

from collections.abc import Mapping
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import ValidationError
from sqlalchemy.exc import DataError, OperationalError
from starlette.exceptions import HTTPException

from etiquette.core.errors import DiskFull, DiskUnusable, JobError, NotThere, of_disk
from etiquette.devices.holds import Busy
from etiquette.people.rights import NotAllowed, NotSignedIn
from etiquette.people.sign_in import CodeWanted
from etiquette.people.throttle import TooOften
from etiquette.stations.edits import Stale

STATUS: dict[type[JobError], int] = {
    NotThere: 404,
    NotAllowed: 403,
    NotSignedIn: 401,
    CodeWanted: 401,
    TooOften: 429,
    Busy: 409,
    DiskFull: 507,
    DiskUnusable: 507,
}
AWAY = ("The database does not answer.", "database", "Nothing was changed. Try again in a moment.")


logger = structlog.get_logger(__name__)


def problem(status: int, what: str, where: str = "", do: str = "", **more: object) -> JSONResponse:
    body = {"type": "about:blank", "title": what, "status": status, "where": where, "do": do, **more}
    return JSONResponse(body, status, media_type="application/problem+json")


def add_problem_handlers(app: FastAPI) -> None:
    @app.exception_handler(JobError)
    def job_error(_: Request, error: JobError) -> JSONResponse:
        if isinstance(error, Stale):
            return problem(409, error.what, error.where, error.do, revision=error.revision)
        status = next((status for kind, status in STATUS.items() if isinstance(error, kind)), 422)
        answer = problem(status, error.what, error.where, error.do)
        if isinstance(error, TooOften):
            answer.headers["Retry-After"] = f"{error.wait:.0f}"
        return answer

    @app.exception_handler(OperationalError)
    def away(_: Request, error: OperationalError) -> JSONResponse:
        logger.warning("the database does not answer", error=str(error.orig))
        return problem(503, *AWAY)

    @app.exception_handler(OSError)
    def disk(request: Request, error: OSError) -> JSONResponse:
        told = of_disk(error)
        if told is None:
            raise error
        logger.error("the disk cannot be written", error=str(error))
        return job_error(request, told)

    @app.exception_handler(DataError)
    @app.exception_handler(UnicodeEncodeError)
    def cannot_be_kept(_: Request, error: Exception) -> JSONResponse:
        return problem(
            422,
            "A value is too long, too large, or holds half a character: it cannot be kept.",
            "the value",
            "Change it and try again.",
        )

    @app.exception_handler(HTTPException)
    def refused(_: Request, error: HTTPException) -> JSONResponse:
        do = "Reload the page." if error.status_code in (404, 405) else "Change it and try again."
        return problem(error.status_code, str(error.detail), "request", do)

    @app.exception_handler(RequestValidationError)
    @app.exception_handler(ValidationError)
    def not_as_it_should_be(_: Request, error: RequestValidationError | ValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = str(first["loc"][-1]) if first["loc"] else "the value"
        return problem(
            422, f"{place.replace('_', ' ').capitalize()}: {_plain(first)}", place, "Change it and try again."
        )


def _plain(first: Mapping[str, Any]) -> str:
    limits = first.get("ctx", {})
    match first["type"]:
        case "greater_than_equal":
            return f"it cannot be less than {limits['ge']:g}."
        case "less_than_equal":
            return f"it cannot be more than {limits['le']:g}."
        case "string_too_short" if first.get("input"):
            return f"it is shorter than {limits['min_length']} letters."
        case "string_too_short" | "missing":
            return "it is missing."
        case _:
            return f"{first['msg'][0].lower()}{first['msg'][1:]}."
