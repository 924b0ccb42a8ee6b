"""The smock: faces copied off trunk and arms, eased outwards and smoothed; its hem clears the skirt."""

from __future__ import annotations

import igl
import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components
from skirt import WAIST, Cut, outline

from patient_needle.core.geometry.topology import border_loops, build_topology

PARTS = {
    "pelvis",
    "spine1",
    "spine2",
    "chest",
    "neck",
    "clavL",
    "clavR",
    "uparmL",
    "uparmR",
    "forearmL",
    "forearmR",
}
EASE, OVER_SKIRT = 0.035, 0.010  # m off the body, and off the skirt
CUFF, HEM, NECK = 0.50, 0.97, 1.45  # m: how far out the sleeves go, heights of hem and neck
ARM = np.array([0.87, -0.49, 0.0])  # direction of the left arm in the rest pose
ROUNDS = 60


def build_smock(vertices: np.ndarray, triangles: np.ndarray, part: np.ndarray, skirt: Cut):
    """Vertices (n, 3) m and faces by group; part (m,) names the body's part of each of its triangles (m, 3)."""
    faces = _chosen(vertices, triangles, part)
    used, faces = np.unique(faces, return_inverse=True)
    faces = faces.reshape(-1, 3)
    loops = border_loops(build_topology(faces.astype(np.int32), len(used), name="smock"))
    border = np.concatenate(loops)
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    beside = sparse.coo_matrix((np.ones(len(edges)), edges.T), (len(used), len(used)))
    beside = ((beside + beside.T) > 0).astype(float)
    inner = np.setdiff1d(np.arange(len(used)), border)
    points = vertices[used] + 0.012 * igl.per_vertex_normals(vertices, triangles.astype(np.int64))[used]
    for _ in range(ROUNDS):
        middle = (beside @ points) / np.asarray(beside.sum(axis=1)).reshape(-1, 1)
        points[inner] += 0.5 * (middle - points)[inner]
        for loop in loops:
            _straighten(points, loop)
        for _ in range(3):
            _off_the_body(points, vertices, triangles)
        _off_the_skirt(points, vertices, skirt)
    return points, {"smock": faces.tolist()}


def _chosen(vertices: np.ndarray, triangles: np.ndarray, part: np.ndarray) -> np.ndarray:
    """Trunk above the hem and arms up to the cuffs, without the neck's opening; the largest piece of it."""
    x, y, _ = vertices[triangles].mean(axis=1).T
    keep = np.isin(part, list(PARTS)) & (np.abs(x) < CUFF)
    keep &= ~((np.abs(x) < 0.25) & (y < HEM + 0.02)) & ~((y > NECK) & (np.abs(x) < 0.07))
    faces = triangles[keep]
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]]])
    graph = sparse.coo_matrix((np.ones(len(edges)), edges.T), (len(vertices), len(vertices)))
    label = connected_components(graph, directed=False)[1][faces[:, 0]]
    return faces[label == np.bincount(label).argmax()]


def _straighten(points: np.ndarray, loop: np.ndarray) -> None:
    """Even a border out, and draw it into a plane: level at the hem, square to the arm at a cuff."""
    points[loop] += 0.25 * (np.roll(points[loop], 1, 0) + np.roll(points[loop], -1, 0) - 2 * points[loop])
    x, y, _ = points[loop].mean(axis=0)
    if abs(x) > 0.3:
        along = ARM * [np.sign(x), 1, 1]
        height = points[loop] @ along
        points[loop] -= 0.5 * (height - height.mean())[:, None] * along
    elif y < 1.2:
        points[loop, 1] += 0.3 * (HEM - points[loop, 1])


def _off_the_body(points: np.ndarray, vertices: np.ndarray, triangles: np.ndarray) -> None:
    squared, face, nearest = igl.point_mesh_squared_distance(points, vertices, triangles.astype(np.int64))
    a, b, c = (vertices[triangles[face, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    side = np.sign(np.einsum("ij,ij->i", points - nearest, normal))
    points += np.maximum(EASE - side * np.sqrt(squared), 0)[:, None] * normal


def _off_the_skirt(points: np.ndarray, vertices: np.ndarray, skirt: Cut) -> None:
    heights, radii, middle = outline(vertices, Cut(skirt.ease, 0.9, skirt.spacing))
    low = (points[:, 1] < WAIST + 0.015) & (np.abs(points[:, 0]) < 0.3)
    away = points[low][:, [0, 2]] - middle
    turn = np.arctan2(away[:, 0], away[:, 1]) % (2 * np.pi)
    column = (turn / (2 * np.pi) * radii.shape[1]).astype(int) % radii.shape[1]
    row = np.clip(np.round((WAIST - points[low, 1]) / 0.005).astype(int), 0, len(heights) - 1)
    radius = np.linalg.norm(away, axis=1)
    short = np.maximum(radii[row, column] + OVER_SKIRT - radius, 0) / radius
    points[low] += np.stack([short * away[:, 0], 0 * short, short * away[:, 1]], axis=1)
