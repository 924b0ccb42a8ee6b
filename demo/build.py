"""Make the demo's files: python demo/build.py [lamplighter] [flag]. About three minutes.

The results are committed; run this only to change them.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from figure.performance import BLOCK_TOP, FIRST, LAST, RATE, rest_pose, solved_at
from figure.rig import NAMES, PARENTS, PLACES, skin_weights
from figure.surface import Surface, build_surface
from files import Character, joint_rotations, write_glb, write_obj
from pieces import box, triangles, turned_post
from scipy.spatial import Delaunay
from scipy.spatial.transform import Rotation
from skirt import Cut, build_skirt
from smock import build_smock
from trims import build_collar, build_cuffs, build_lantern, build_scarf

HERE = Path(__file__).parent
SKIRT = Cut(0.004, 0.430, 0.0185)
OVER = {  # what the shot in layers wears over the skirt, one over the other
    "over_apron": Cut(0.012, 0.640, 0.0185, 12),
    "peplum": Cut(0.020, 0.860, 0.0185, 13),
}


def lamplighter() -> None:
    """The figure, its skirt and the quay."""
    surface = _surface()
    weights = skin_weights(surface)
    solved = [solved_at(frame) for frame in range(FIRST, LAST + 1)]
    turns = np.array([s.turn for s in solved])
    write_glb(
        HERE / "lamplighter" / "lamplighter.glb",
        Character(
            "lamplighter", surface.vertices, surface.triangles, weights, NAMES, PARENTS, PLACES,
            joint_rotations(turns, PARENTS), np.array([s.place[0] for s in solved]), RATE,
        ),
    )  # fmt: skip
    assert np.allclose(rest_pose().place, PLACES)
    points, groups = build_skirt(surface.vertices, surface.triangles, SKIRT)
    write_obj(HERE / "lamplighter" / "apron_skirt.obj", "apron_skirt", points, groups)
    print(f"lamplighter {len(surface.triangles)} triangles, skirt {len(points)} vertices")
    layers(surface)
    part = np.array(NAMES)[weights[surface.triangles].sum(axis=1).argmax(axis=1)]
    points, groups = build_smock(surface.vertices, surface.triangles, part, SKIRT)
    write_obj(HERE / "lamplighter" / "smock.obj", "smock", points, groups)
    print(f"smock {len(points)} vertices")
    trims(surface)
    quay()


def trims(surface: Surface) -> None:
    """What the shot with lanterns is fastened by: collar, scarf, cuffs, and a lantern."""
    folder, body, faces = HERE / "lamplighter", surface.vertices, surface.triangles
    collar, laid = build_collar(body, faces)
    write_obj(folder / "collar.obj", "collar", collar, {"collar": laid})
    write_obj(folder / "cuffs.obj", "cuffs", *build_cuffs(body, faces))
    under = np.concatenate([body, collar])
    points, groups, uvs = build_scarf(under, np.concatenate([faces, np.array(laid) + len(body)]))
    write_obj(folder / "scarf.obj", "scarf", points, groups, uvs)
    write_obj(folder / "lantern.obj", "lantern", *build_lantern())
    print(f"scarf {len(points)} vertices, collar {len(collar)}")


def layers(surface: Surface) -> None:
    """An over-apron and a peplum, for the same shot in three layers."""
    for name, cut in OVER.items():
        points, groups = build_skirt(surface.vertices, surface.triangles, cut)
        write_obj(HERE / "lamplighter" / f"{name}.obj", name, points, groups)
        print(f"{name} {len(points)} vertices")


def _surface() -> Surface:
    """The figure's surface, kept beside the scripts between builds: it takes a minute to make."""
    kept = HERE / ".surface.npz"
    if not kept.exists():
        made = build_surface()
        np.savez(kept, vertices=made.vertices, triangles=made.triangles, mirror=made.mirror)
    data = np.load(kept)
    return Surface(data["vertices"], data["triangles"], data["mirror"])


def quay() -> None:
    """Floor, mooring block and bollard: closed, so that inside and outside are plain."""
    folder = HERE / "lamplighter"
    write_obj(folder / "quay_floor.obj", "quay_floor", *_one(box((-1.8, -0.3, -2.2), (1.8, 0.0, 2.8), 0.2)))
    write_obj(
        folder / "mooring_block.obj", "mooring_block",
        *_one(box((-0.36, 0.001, 0.22), (0.36, BLOCK_TOP, 0.76), 0.06)),
    )  # fmt: skip
    post, faces = turned_post(
        ((0.001, 0.13), (0.06, 0.12), (0.34, 0.10), (0.40, 0.12), (0.43, 0.17), (0.50, 0.175), (0.54, 0.12)), 20
    )  # fmt: skip
    write_obj(folder / "bollard.obj", "bollard", post + [0.62, 0, 2.05], {"bollard": faces})


def _one(solid):
    points, faces = solid
    return points, {"solid": faces}


def flag() -> None:
    """A signal flag that hangs from a swinging yard and slaps round a mast."""
    yard, yard_faces = turned_post(((0.0, 0.018), (0.35, 0.018), (0.70, 0.018)), 12)
    yard = yard[:, [1, 0, 2]] * [1, -1, 1] + [0.045, 1.60, 0.0]  # lies along x, one end near the mast
    mast, mast_faces = turned_post([(0.4 + 0.09 * k, 0.035) for k in range(16)], 16)
    write_obj(HERE / "flag" / "mast.obj", "mast", mast, {"mast": mast_faces})
    rate, first, last = 24, 1001, 1048
    seconds = np.arange(last - first + 1) / rate
    angle = 75 * np.sin(2 * np.pi * seconds / 1.6) * np.clip(seconds / 0.3, 0, 1)
    rotations = np.zeros((len(seconds), 1, 4))
    rotations[:, 0] = Rotation.from_euler("y", angle[:, None], degrees=True).as_quat()
    write_glb(
        HERE / "flag" / "yard.glb",
        Character(
            "yard", yard, triangles(yard_faces), np.ones((len(yard), 1)), ["yard"], np.array([-1]),
            np.array([[0.0, 1.60, 0.0]]), rotations, np.tile([0.0, 1.60, 0.0], (len(seconds), 1)), rate,
        ),
    )  # fmt: skip
    points, faces, uvs = _flag_cloth(0.56, 0.42, 0.021)
    write_obj(
        HERE / "flag" / "signal_flag.obj", "signal_flag",
        points + [0.12, 1.576, 0.0], {"cloth": faces}, uvs,
    )  # fmt: skip
    print(f"flag {len(points)} vertices, yard {len(yard)}, mast {len(mast)}")


def _flag_cloth(width: float, height: float, spacing: float, seed: int = 5):
    """A rectangle hanging from y = 0, unstructured triangles; UVs are its pattern in metres."""
    rng = np.random.default_rng(seed)
    rows = round(height / (spacing * 0.866))
    columns = round(width / spacing)
    rest = []
    for row in range(rows + 1):
        v = row / rows * height
        if row in (0, rows):
            rest += [(c / columns * width, v) for c in range(columns + 1)]
            continue
        inner = (np.arange(columns) + 0.5 * (row % 2) + 0.25) / columns * width
        jitter = rng.uniform(-0.2, 0.2, (columns, 2)) * spacing
        rest += [(0.0, v), (width, v)]
        rest += [
            (u, v + dv)
            for u, dv in zip(inner + jitter[:, 0], jitter[:, 1], strict=True)
            if 0.4 * spacing < u < width - 0.4 * spacing
        ]
    flat = np.array(rest)
    faces = Delaunay(flat).simplices
    a, b, c = (flat[faces[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    faces[area > 0] = faces[area > 0][:, ::-1]
    faces = faces[np.abs(area) > 1e-8]
    points = np.stack([flat[:, 0], -flat[:, 1], np.zeros(len(flat))], 1)
    return points, faces.tolist(), np.stack([flat[:, 0], height - flat[:, 1]], 1)


if __name__ == "__main__":
    wanted = sys.argv[1:] or ["lamplighter", "flag"]
    if "lamplighter" in wanted:
        lamplighter()
    if "flag" in wanted:
        flag()
