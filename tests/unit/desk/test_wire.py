"""The desk's socket: messages come out as they went in, and the desk's errors keep their kind on the way."""

from __future__ import annotations

from multiprocessing import Pipe

import pytest

from patient_needle.core.model.errors import CastError, NeedleError, ShotError
from patient_needle.desk.client import DeskFaultError, _checked
from patient_needle.desk.wire import Message, Packed, receive, send


def test_a_message_with_arrays_comes_out_as_it_went_in():
    here, there = Pipe()
    arrays = {"points": Packed("float32", (2, 3), bytes(24)), "nothing": Packed("uint32", (0,), b"")}
    send(here, Message({"do": "look", "name": "裾の形"}, arrays))
    found = receive(there)
    assert found == Message({"do": "look", "name": "裾の形"}, arrays)


def test_a_side_that_has_gone_is_told():
    here, there = Pipe()
    here.close()
    with pytest.raises(EOFError):
        receive(there)


@pytest.mark.parametrize("kind", [CastError, ShotError])
def test_a_fault_is_raised_here_as_the_error_it_was_there(kind):
    fault = {"kind": kind.__name__, "what": "it has no height", "where": "'body'", "remedy": "Give it one"}
    with pytest.raises(kind, match="it has no height") as raised:
        _checked(Message({"fault": fault}))
    assert (raised.value.where, raised.value.remedy) == ("'body'", "Give it one")


def test_a_fault_of_a_kind_that_is_not_known_here_is_an_error_of_ours_all_the_same():
    fault = {"kind": "ZeroDivisionError", "what": "division by zero", "where": "", "remedy": ""}
    with pytest.raises(NeedleError, match="division by zero"):
        _checked(Message({"fault": fault}))
    with pytest.raises(DeskFaultError):
        _checked(Message({"fault": {**fault, "kind": "DeskFaultError"}}))
