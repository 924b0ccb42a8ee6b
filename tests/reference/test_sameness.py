"""Short runs of the demo shots give the bits that they gave when they were last meant to change.

Our own record, no outside source: what is right is held by the other tests of this folder.
"""

import pytest

from tests import sameness


@pytest.mark.parametrize("name", sameness.CASES)
def test_a_demo_shot_gives_the_same_bits(name, tmp_path, request):
    found = sameness.of_case(name, tmp_path)
    if request.config.getoption("--keep-checksums"):
        sameness.keep(name, found)
    kept, processor = sameness.kept(), sameness.processor()
    assert set(found.places) == set(kept["places"][name])
    for garment, place in found.places.items():
        assert place == pytest.approx(kept["places"][name][garment], abs=1e-4), garment
    if processor not in kept["checksums"]:
        pytest.skip(f"no checksums are kept for {processor}; the places agree")
    assert found.checksum == kept["checksums"][processor][name]
