"""A small shaded ray caster: pictures of meshes for judging figures and cloth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from PIL import Image

BACKDROP = np.array([0.66, 0.655, 0.64])


@dataclass(frozen=True, eq=False)
class Shown:
    """A mesh to show: vertices (n, 3), triangles (m, 3), colour outside and inside (rgb 0 to 1)."""

    vertices: np.ndarray
    triangles: np.ndarray
    colour: tuple[float, float, float] = (0.80, 0.70, 0.58)
    inside: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class View:
    """Camera azimuth and height angle in degrees, what it looks at and the picture's height there, m."""

    azimuth: float = 28.0
    elevation: float = 8.0
    centre: tuple[float, float, float] = (0.0, 0.85, 0.0)
    height: float = 2.2
    size: tuple[int, int] = (420, 640)


def _unit(v: np.ndarray) -> np.ndarray:
    return v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12)


def _vertex_normals(vertices: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    face = np.cross(b - a, c - a)
    out = np.zeros_like(vertices)
    for k in range(3):
        np.add.at(out, triangles[:, k], face)
    return _unit(out)


def render(shown: list[Shown], view: View, *, samples: int = 2, rays: int = 10) -> Image.Image:
    """A picture lit from the side, with soft shadows on a grey floor at y = 0."""
    rng = np.random.default_rng(7)
    vertices = np.concatenate([s.vertices for s in shown]).astype(np.float64)
    starts = np.cumsum([0, *(len(s.vertices) for s in shown)])
    triangles = np.concatenate([s.triangles + o for s, o in zip(shown, starts, strict=False)])
    normals = _vertex_normals(vertices, triangles)
    outside = np.concatenate([np.tile(s.colour, (len(s.triangles), 1)) for s in shown])
    inner = np.concatenate([np.tile(s.inside or s.colour, (len(s.triangles), 1)) for s in shown])
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, vertices[triangles].astype(np.float32).copy())
    width, height = (side * samples for side in view.size)
    origin, rays_out, toward = _camera(view, width, height)
    hits = scene.run(origin, rays_out, output=1)
    ground = np.where(rays_out[:, 1] < -1e-4, -origin[:, 1] / rays_out[:, 1], np.inf)
    seen = (hits["primID"] >= 0) & (hits["tfar"] < ground)
    picture = np.tile(BACKDROP, (len(origin), 1))
    picture *= np.linspace(1.06, 0.94, height).repeat(width)[:, None]
    lights = _Lights(scene, toward, rng, rays)
    if seen.any():
        triangle = hits["primID"][seen]
        place = origin[seen] + rays_out[seen] * hits["tfar"][seen, None]
        normal = _interpolated(vertices, normals, triangles[triangle], place)
        flat = np.cross(
            *(vertices[triangles[triangle][:, k]] - vertices[triangles[triangle][:, 0]] for k in (1, 2))
        )
        behind = np.einsum("ij,ij->i", flat, rays_out[seen]) > 0
        normal[behind] *= -1
        colour = np.where(behind[:, None], inner[triangle], outside[triangle])
        picture[seen] = colour * lights.at(place, normal)
    floor = ~seen & np.isfinite(ground) & (ground < 12)
    if floor.any():
        place = origin[floor] + rays_out[floor] * ground[floor, None]
        up = np.broadcast_to([0.0, 1.0, 0.0], place.shape)
        picture[floor] = BACKDROP * np.clip(lights.at(place, up) / lights.open(), 0, 1.05)
    image = np.clip(picture, 0, 1) ** (1 / 1.2)
    image = image.reshape(view.size[1], samples, view.size[0], samples, 3).mean((1, 3))
    return Image.fromarray((image * 255).astype(np.uint8))


def _camera(view: View, width: int, height: int):
    a, e = np.radians(view.azimuth), np.radians(view.elevation)
    toward = np.array([np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)])
    right = _unit(np.cross(-toward, [0, 1.0, 0]))
    up = np.cross(right, -toward)
    x, y = np.meshgrid((np.arange(width) + 0.5 - width / 2) / height, 0.5 - (np.arange(height) + 0.5) / height)
    distance = 5.0
    rays = -toward * distance + right * (x * view.height)[..., None] + up * (y * view.height)[..., None]
    rays = _unit(rays).reshape(-1, 3).astype(np.float32)
    eye = np.array(view.centre) + toward * distance
    return np.broadcast_to(eye.astype(np.float32), rays.shape).copy(), rays, toward


class _Lights:
    """A key light from the side, a sky, and what they reach."""

    def __init__(self, scene, toward, rng, rays) -> None:
        right = _unit(np.cross(-toward, [0, 1.0, 0]))
        self._scene, self._rng, self._rays = scene, rng, rays
        self._key = _unit(-right + np.array([0, 1.0, 0]) + 0.45 * toward)

    def _free(self, place, direction):
        hit = self._scene.run(place.astype(np.float32), direction.astype(np.float32), query="OCCLUDED")
        return np.asarray(hit) != 0 if np.asarray(hit).dtype == bool else np.asarray(hit) < 0

    def at(self, place, normal):
        from_here = place + normal * 0.002
        key = np.zeros(len(place))
        sky = np.zeros(len(place))
        for _ in range(self._rays):
            toward = _unit(self._key + self._rng.normal(size=(len(place), 3)) * 0.10)
            key += np.maximum((normal * toward).sum(1), 0) * self._free(from_here, toward)
            around = _unit(normal + _unit(self._rng.normal(size=(len(place), 3))))
            sky += self._free(from_here, around) * np.where(around[:, 1] > 0, 0.8 + 0.3 * around[:, 1], 0.5)
        return (key / self._rays)[:, None] * np.array([0.95, 0.92, 0.87]) + (sky / self._rays)[
            :, None
        ] * np.array([0.42, 0.44, 0.48])

    def open(self):
        return self._key[1] * np.array([0.95, 0.92, 0.87]) + np.array([0.42, 0.44, 0.48])


def _interpolated(vertices, normals, corners, place):
    a, b, c = (vertices[corners[:, k]] for k in range(3))
    e1, e2, offset = b - a, c - a, place - a
    d11, d12, d22 = ((p * q).sum(1) for p, q in ((e1, e1), (e1, e2), (e2, e2)))
    r1, r2 = (offset * e1).sum(1), (offset * e2).sum(1)
    det = np.maximum(d11 * d22 - d12**2, 1e-30)
    v, w = (d22 * r1 - d12 * r2) / det, (d11 * r2 - d12 * r1) / det
    weights = np.stack([1 - v - w, v, w], 1)
    return _unit((normals[corners] * weights[..., None]).sum(1))


def sheet(pictures: list[Image.Image], columns: int) -> Image.Image:
    """Pictures side by side in rows."""
    width, height = pictures[0].size
    rows = -(-len(pictures) // columns)
    out = Image.new("RGB", (width * columns, height * rows))
    for index, picture in enumerate(pictures):
        out.paste(picture, ((index % columns) * width, (index // columns) * height))
    return out
