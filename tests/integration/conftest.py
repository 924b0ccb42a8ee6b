"""One database server for all integration tests; each test gets it empty."""

from __future__ import annotations

import pytest

from tests.houses import fresh, house, let_pass, running_cluster


@pytest.fixture(scope="session")
def database(tmp_path_factory):
    folder = tmp_path_factory.mktemp("cluster")
    let_pass(folder)
    with running_cluster(folder) as url:
        yield url


@pytest.fixture
def store(database):
    made = fresh(database)
    yield made
    made.close()


@pytest.fixture
def workroom(store, tmp_path):
    made = house(store, tmp_path)
    yield made
    made.close()
