"""Shots in folders and zips, and what differs between two of them."""

from __future__ import annotations

import copy
import io
import json
import stat
import zipfile

import pytest

from patient_needle.core.model.errors import FileError
from patient_needle.formats.shot_file.differences import differences
from patient_needle.formats.shot_file.parcel import read_folder, read_zip, write_folder, write_zip
from tests.houses import DEMO


@pytest.fixture(scope="module")
def flag():
    return read_folder(DEMO / "flag" / "shot.json")


def test_a_zip_comes_back_as_it_was(flag, tmp_path):
    document, files = flag
    path = tmp_path / "shot.zip"
    with path.open("wb") as stream:
        write_zip(stream, document, {name: [data[:9], data[9:]] for name, data in files.items()})
    into = tmp_path / "unpacked"
    into.mkdir()
    read, unpacked = read_zip(path, "the zip", into)
    assert (read, {name: file.read_bytes() for name, file in unpacked.items()}) == (document, files)
    assert all(file.parent == into and file.name.isdigit() for file in unpacked.values())


def test_a_folder_comes_back_as_it_was(flag, tmp_path):
    document, files = flag
    path = write_folder(tmp_path / "shot", document, {name: [data] for name, data in files.items()})
    assert read_folder(path) == (document, files)


def test_files_of_one_name_in_two_folders_stay_two(flag, tmp_path):
    document, files = copy.deepcopy(flag[0]), flag[1]
    mast = next(member for member in document["cast"] if member["name"] == "mast")
    (tmp_path / "a").mkdir()
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    (tmp_path / "a" / "signal_flag.obj").write_bytes(files["mast.obj"])
    mast["file"] = "a/signal_flag.obj"
    (tmp_path / "shot.json").write_text(json.dumps(document))
    back, kept = read_folder(tmp_path / "shot.json")
    again = next(member for member in back["cast"] if member["name"] == "mast")
    assert kept[again["file"]] == files["mast.obj"]
    assert kept[back["garments"][0]["recipe"]["file"]] == files["signal_flag.obj"]


def test_a_link_in_a_zip_is_refused(tmp_path):
    path = tmp_path / "shot.zip"
    with zipfile.ZipFile(path, "w") as archive:
        link = zipfile.ZipInfo("shot.json")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        archive.writestr(link, "/etc/passwd")
    with pytest.raises(FileError, match="a link"):
        read_zip(path, "the zip", tmp_path)


def test_a_zip_that_lies_about_its_sizes_is_refused(flag, tmp_path):
    out = io.BytesIO()
    write_zip(out, flag[0], {name: [data] for name, data in flag[1].items()})
    data = bytearray(out.getvalue())
    data[len(data) // 2] ^= 0xFF
    path = tmp_path / "shot.zip"
    path.write_bytes(data[: len(data) * 2 // 3])
    with pytest.raises(FileError):
        read_zip(path, "the zip", tmp_path)


def differing(flag, how):
    document, files = flag
    other, other_files = copy.deepcopy(document), dict.fromkeys(files, "1")
    how(other, other_files)
    return differences(document, other, dict.fromkeys(files, "1"), other_files)


@pytest.mark.parametrize(
    ("how", "says"),
    [
        (lambda d, f: None, []),
        (lambda d, f: d.update(name="Another name"), []),
        (lambda d, f: d.update(patience="final"), []),
        (lambda d, f: d.update(frames=[1001, 1010]), ["frame range 1001 1048, now 1001 1010"]),
        (lambda d, f: d["run_in"].update(settle=3), ["run-in: settles 6, now 3"]),
        (lambda d, f: d["cast"].pop(0), ["yard was taken out"]),
        (lambda d, f: f.update({"mast.obj": "2"}), ["mast: another mesh"]),
        (lambda d, f: d["fabrics"][0].update(thickness_mm=1.5), ["thickness, mm 0.4, now 1.5"]),
        (lambda d, f: d["garments"][0]["holds"].clear(), ["signal flag, hold head rope was taken out"]),
        (lambda d, f: d["garments"][0]["recipe"].update(unit="cm"), ["signal flag: unit m, now cm"]),
        (lambda d, f: d["garments"][0].update(calm=0.5), ["signal flag: calm 0, now 0.5"]),
        (lambda d, f: d["forces"].update(air_drag=0.7), ["air drag 0.2, now 0.7"]),
        (lambda d, f: d["forces"]["winds"].append({"name": "gust", "strength": 3}), ["wind gust was added"]),
        (lambda d, f: d.update(time_stretch=2.0), ["time stretch 1, now 2"]),
    ],
)
def test_differences_are_said_in_words(flag, how, says):
    found = differing(flag, how)
    assert len(found) == len(says)
    for line, said in zip(found, says, strict=True):
        assert said in line
