"""The web application, put together."""

from __future__ import annotations

import json
from typing import Any

from apiflask import APIFlask

from ..web import deliveries, fittings, front, mending, problems, shots, takes, workroom
from . import guards
from .guards import BoundedJson, JsonRequest
from .services import Services


def create_app(house: Services | None) -> APIFlask:
    """The application over its services; without them only its description can be asked for."""
    app = APIFlask(
        "patient_needle.web", title="Patient Needle", version="1", spec_path="/api/openapi.json",
        docs_path=None, static_folder=None,  # type: ignore[arg-type]  # Flask allows None
    )  # fmt: skip
    app.json = BoundedJson(app)
    app.request_class = JsonRequest
    app.config.update(OPENAPI_VERSION="3.1.0", AUTO_404_RESPONSE=False, AUTO_VALIDATION_ERROR_RESPONSE=False)
    if house is not None:
        app.extensions["needle"] = house
        house.events.start()
    guards.register(app)
    problems.register(app)
    for room in (workroom, shots, fittings, takes, mending, deliveries):
        app.register_blueprint(room.blueprint)
    app.register_blueprint(front.blueprint)
    return app


def openapi() -> dict[str, Any]:
    """The API's description (OpenAPI 3.1)."""
    app = create_app(None)
    with app.app_context():
        return json.loads(json.dumps(app.spec))  # type: ignore[no-any-return]
