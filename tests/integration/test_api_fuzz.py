"""Every call of the API's own description with generated arguments: never a server error."""

from __future__ import annotations

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings

from patient_needle.web.app import openapi
from tests.houses import fresh, house, short_flag

CALLS = sorted(
    (path, method)
    for path, methods in openapi()["paths"].items()
    for method in methods
    if path != "/api/events" and method in ("get", "put", "post", "patch", "delete")
)


@pytest.fixture(scope="module")
def described(database, tmp_path_factory):
    store = fresh(database)
    short_flag(store)
    workroom = house(store, tmp_path_factory.mktemp("fuzz"))
    yield schemathesis.openapi.from_wsgi("/api/openapi.json", workroom.app)
    workroom.close()
    store.close()


@pytest.mark.parametrize(("path", "method"), CALLS)
def test_no_call_ends_in_a_server_error(described, path, method):
    @settings(max_examples=8, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(case=described[path][method.upper()].as_strategy())
    def each(case):
        assert case.call(headers={"Host": "localhost"}).status_code < 500

    each()
