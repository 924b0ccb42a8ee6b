"""Errors as problem details (RFC 9457): what, where, how to fix it."""

from __future__ import annotations

from typing import Any

import structlog
from apiflask import APIFlask
from apiflask.exceptions import HTTPError
from flask import Response, json
from pydantic import ValidationError
from sqlalchemy.exc import DataError, DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from werkzeug.exceptions import HTTPException

from ..core.model.errors import NeedleError
from ..desk.client import DeskAwayError, DeskFaultError
from ..store.errors import DISK_FULL, ConflictError, DatabaseAwayError, MissingError

log = structlog.get_logger()


class NotJsonError(NeedleError):
    """A request is no JSON, or none that can be taken."""


STATUS: dict[type[NeedleError], int] = {
    MissingError: 404, ConflictError: 409, DeskAwayError: 503, DatabaseAwayError: 503,
    DeskFaultError: 500,
    NotJsonError: 400,
}  # fmt: skip


def problem(
    status: int, title: str, *, where: str = "", remedy: str = "", kind: str = "about:blank"
) -> Response:
    """One problem; `detail` is the whole sentence, `where` and `remedy` its parts."""
    detail = f"{where}: {title}" if where else title
    body: dict[str, Any] = {
        "type": kind, "title": title, "status": status, "where": where, "remedy": remedy,
        "detail": f"{detail}. {remedy}" if remedy else f"{detail}.",
    }  # fmt: skip
    response = Response(json.dumps(body), status, content_type="application/problem+json")
    if status == 503:
        response.headers["Retry-After"] = "2"
    return response


def register(app: APIFlask) -> None:
    """Let the application answer every error with a problem."""

    @app.errorhandler(NeedleError)
    def _ours(error: NeedleError) -> Response:
        status = STATUS.get(type(error), 422)
        name = type(error).__name__.removesuffix("Error").lower()
        return problem(status, error.what, where=error.where, remedy=error.remedy, kind=f"/problems/{name}")

    @app.errorhandler(ValidationError)
    def _invalid(error: ValidationError) -> Response:
        first = error.errors()[0]
        return problem(
            422,
            str(first["msg"]),
            where=".".join(map(str, first["loc"])),
            remedy="Correct it and send it again",
        )

    @app.errorhandler(DataError)
    def _not_storable(_error: DataError) -> Response:
        # Numbers past what a column holds, characters that text may not have: no such thing can exist.
        return problem(
            422, "a number or text is outside what can be kept", remedy="Correct it and send it again"
        )

    @app.errorhandler(OperationalError)
    @app.errorhandler(PoolTimeoutError)
    @app.errorhandler(DBAPIError)
    def _database(error: Exception) -> Response:
        state = getattr(getattr(error, "orig", None), "sqlstate", None)
        if state == DISK_FULL:
            return problem(
                507, "the disk is full", where="the database",
                remedy="Delete takes or free space; nothing was half-written", kind="/problems/disk-full",
            )  # fmt: skip
        log.warning(str(error), action="database_away")
        return problem(
            503, "the database does not answer", remedy="It is started again by ./needle up; wait a moment",
            kind="/problems/database-away",
        )  # fmt: skip

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        return problem(error.code or 500, error.description or error.name)

    @app.error_processor
    def _asked_wrongly(error: HTTPError) -> Response:
        detail = error.detail if isinstance(error.detail, dict) else {}
        where, said = "", error.message or "the request is not valid"
        for place, fields in detail.items():
            if isinstance(fields, dict) and fields:
                name, messages = next(iter(fields.items()))
                where, said = f"{place}, {name}", str(messages[0] if isinstance(messages, list) else messages)
                break
        return problem(error.status_code, said, where=where, remedy="Correct it and send it again")
