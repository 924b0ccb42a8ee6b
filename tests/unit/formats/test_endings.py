"""The lists of endings in words hold what the formats register, and nothing else."""

from patient_needle.core.model.maps import MAP_ROLES, SPANS
from patient_needle.formats import names as endings
from patient_needle.formats import registry
from patient_needle.formats.shot_file import assemble  # noqa: F401  (its formats register themselves)
from patient_needle.formats.shot_file.document import MapRecord
from patient_needle.web.schemas import DeliveryAsk


def test_deliveries_are_offered_in_every_format_that_is_written():
    assert {f".{ending}" for ending in endings.WRITTEN} <= set(registry.cache_endings())
    said = DeliveryAsk.model_json_schema()["properties"]["format"]["enum"]
    assert set(said) == set(endings.WRITTEN)


def test_whatever_has_a_reader_can_be_brought_in():
    readers = {*registry._listers, *registry._mesh_readers, *registry._cache_readers}
    readers -= {".ply", ".png", ".svg"}  # maps and drawings, which have doors of their own
    assert set(endings.BROUGHT_IN) == readers
    assert set(endings.MAPS_IN) == {".png", *registry._values_readers}


def test_every_role_of_a_map_is_told_and_meant_alike():
    said = MapRecord.model_json_schema()["properties"]["role"]["enum"]
    assert {one.role for one in MAP_ROLES} == set(said) == set(SPANS)
