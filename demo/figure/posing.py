"""From a pose in an animator's terms (hands, feet, pelvis, spine) to joint transforms."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from . import profiles as shape
from .field import ALONG_ARM, turned
from .rig import INDEX, NAMES, PARENTS, PLACES

# pelvis m; *_turn degrees about x, y, z; collar: up, forward; hand: wrist target; elbow, knee: pole direction;
# wrist: bend, sideways; curl: fingers; roll: forearm; foot: ball x, y, z, yaw, pitch. chest_space: hands move
# with the chest instead of the world.
REST = {
    "pelvis": (0, 0, 0), "pelvis_turn": (0, 0, 0), "spine_turn": (0, 0, 0), "neck_turn": (0, 0, 0),
    "head_turn": (0, 0, 0), "collarL": (0, 0), "collarR": (0, 0), "handL": (0.30, 0.80, 0.06),
    "handR": (-0.30, 0.80, 0.06), "elbowL": (0.5, -0.2, -1), "elbowR": (-0.5, -0.2, -1),
    "wristL": (0, 0, 0), "wristR": (0, 0, 0), "curlL": 12, "curlR": 12, "rollL": 0, "rollR": 0,
    "footL": (0.125, 0, 0.09, 10, 0), "footR": (-0.125, 0, 0.09, -10, 0), "kneeL": (0.12, 0, 1),
    "kneeR": (-0.12, 0, 1), "chest_space": 0.0,
}  # fmt: skip


def euler(x: float = 0, y: float = 0, z: float = 0) -> np.ndarray:
    return turned("y", y) @ turned("x", x) @ turned("z", z)


def about(axis: np.ndarray, degrees: float) -> np.ndarray:
    return Rotation.from_rotvec(np.radians(degrees) * axis / np.linalg.norm(axis)).as_matrix()


def frame(along: np.ndarray, front: np.ndarray) -> np.ndarray:
    """Right-handed axes (columns) with the first along one direction and the second near another."""
    along = along / np.linalg.norm(along)
    front = front - along * (front @ along)
    front = front / np.linalg.norm(front)
    return np.stack([along, front, np.cross(along, front)], 1)


def two_bones(start, target, first, second, pole):
    """Middle joint and reached end of a two-bone limb that bends toward `pole`."""
    reach = target - start
    distance = np.linalg.norm(reach)
    length = min(distance, (first + second) * 0.9985)
    reach = reach / distance
    cosine = (first**2 + length**2 - second**2) / (2 * first * length)
    pole = pole - reach * (pole @ reach)
    bend = pole / np.linalg.norm(pole) * first * np.sqrt(max(0.0, 1 - cosine**2))
    return start + reach * first * cosine + bend, start + reach * length


class Solved:
    """World rotations (joints, 3, 3) and places (joints, 3) of one pose."""

    def __init__(self, pose: dict) -> None:
        self.pose = {key: np.asarray(value, float) for key, value in {**REST, **pose}.items()}
        self.turn = np.tile(np.eye(3), (len(NAMES), 1, 1))
        self.place = np.zeros((len(NAMES), 3))
        self._spine()
        for side, sign in (("L", 1), ("R", -1)):
            self._arm(side, sign)
            self._leg(side, sign)
            hip, thigh = INDEX["halfhip" + side], INDEX["thigh" + side]
            half = Rotation.from_matrix(self.turn[0].T @ self.turn[thigh]).as_rotvec() / 2
            self.place[hip] = self.place[thigh]
            self.turn[hip] = self.turn[0] @ Rotation.from_rotvec(half).as_matrix()

    def _hang(self, joint: int, local: np.ndarray) -> None:
        parent = PARENTS[joint]
        self.place[joint] = self.place[parent] + self.turn[parent] @ (PLACES[joint] - PLACES[parent])
        self.turn[joint] = self.turn[parent] @ local

    def _spine(self) -> None:
        pose = self.pose
        self.turn[0] = euler(*pose["pelvis_turn"])
        self.place[0] = PLACES[0] + pose["pelvis"]
        for joint, shares in ((1, (0.36, 0.25, 0.36)), (2, (0.36, 0.35, 0.36)), (3, (0.28, 0.40, 0.28))):
            self._hang(joint, euler(*(pose["spine_turn"] * shares)))
        self._hang(4, euler(*pose["neck_turn"]))
        self._hang(5, euler(*pose["head_turn"]))

    def _arm(self, side: str, sign: int) -> None:
        pose, mirror = self.pose, np.array([sign, 1, 1])
        collar, upper, fore, hand = (INDEX[name + side] for name in ("clav", "uparm", "forearm", "hand"))
        up, forward = pose["collar" + side]
        self._hang(collar, euler(0, -sign * forward, sign * up))
        self._hang(upper, np.eye(3))
        target, pole = pose["hand" + side], pose["elbow" + side]
        share = pose["chest_space"]
        target = (1 - share) * target + share * (self.place[3] + self.turn[3] @ (target - PLACES[3]))
        pole = (1 - share) * pole + share * (self.turn[3] @ pole)
        elbow, wrist = two_bones(self.place[upper], target, shape.UPPER_ARM, shape.FOREARM, pole)
        rest = frame(ALONG_ARM * mirror, np.array([0, 0, 1.0]))
        first, second = elbow - self.place[upper], wrist - elbow
        inward = second / np.linalg.norm(second) - first * (first @ second) / (
            first @ first * np.linalg.norm(second)
        )
        if np.linalg.norm(inward) < 0.02:
            inward = -pole
        self.turn[upper] = frame(first, inward) @ rest.T
        roll = about(second, sign * 0.5 * float(pose["roll" + side]))
        self.place[fore] = elbow
        hinge = np.cross(first, inward)
        self.turn[fore] = roll @ frame(second, np.cross(hinge, second)) @ rest.T
        bend, sideways, _ = pose["wrist" + side]
        across = np.cross([0, 0, 1.0], ALONG_ARM * mirror) * sign
        self._hang(hand, about(np.array([0, 0, 1.0]), -sign * bend) @ about(across, -sideways))
        self.turn[hand] = roll @ self.turn[hand]
        self._hang(INDEX["fingers" + side], about(np.array([0, 0, 1.0]), -sign * float(pose["curl" + side])))

    def _leg(self, side: str, sign: int) -> None:
        thigh, shank, foot, toes = (INDEX[name + side] for name in ("thigh", "shank", "foot", "toes"))
        self._hang(thigh, np.eye(3))
        x, y, z, yaw, pitch = self.pose["foot" + side]
        straight = turned("y", yaw - sign * shape.TOES_OUT)
        turn = straight @ about(turned("y", sign * shape.TOES_OUT) @ np.array([1.0, 0, 0]), pitch)
        ball = np.array([PLACES[toes][0], 0, PLACES[toes][2]])
        ankle = np.array([x, y, z]) + turn @ (PLACES[foot] - ball)
        rest_first, rest_second = PLACES[shank] - PLACES[thigh], PLACES[foot] - PLACES[shank]
        lengths = np.linalg.norm(rest_first), np.linalg.norm(rest_second)
        pole = self.pose["knee" + side]
        knee, ankle = two_bones(self.place[thigh], ankle, *lengths, pole)
        first, second = knee - self.place[thigh], ankle - knee
        back = second / np.linalg.norm(second) - first * (first @ second) / (
            first @ first * np.linalg.norm(second)
        )
        if np.linalg.norm(back) < 0.03:
            back = -pole
        rest_back = np.array([0, 0, -1.0])
        self.turn[thigh] = frame(first, back) @ frame(rest_first, rest_back).T
        self.turn[shank] = (
            frame(second, np.cross(np.cross(first, back), second)) @ frame(rest_second, rest_back).T
        )
        self.place[shank], self.place[foot], self.turn[foot] = knee, ankle, turn
        self.place[toes] = ankle + turn @ (PLACES[toes] - PLACES[foot])
        self.turn[toes] = straight if pitch > 0 else turn


def skinned(vertices: np.ndarray, weights: np.ndarray, solved: Solved) -> np.ndarray:
    """The surface in a pose, (n, 3) m."""
    offset = solved.place - np.einsum("jab,jb->ja", solved.turn, PLACES)
    return np.einsum("vj,jab,vb->va", weights, solved.turn, vertices, optimize=True) + weights @ offset
