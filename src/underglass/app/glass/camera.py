"""Where one looks from: turning about a point, parallel or in perspective. Angles in degrees at the edge, z up."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]
Place = NDArray[np.float64]

VIEWS = {
    "corner": (-58.0, 38.0),
    "top": (-90.0, 89.9),
    "front": (-90.0, 0.0),
    "back": (90.0, 0.0),
    "left": (180.0, 0.0),
    "right": (0.0, 0.0),
    "along": (-74.0, 24.0),
    "over": (-82.0, 58.0),
}
"""Standard views: the direction one stands in, seen from the middle (0 is +X, -90 the operator's side), and the height."""

VIEW_KEYS = dict(zip("123456", ("corner", "top", "front", "back", "left", "right")))
"""Keys in the glass for the views of its list."""

_HALF_FIELD = math.radians(14.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Camera:
    """``target`` mm, ``span`` mm: what the picture's shorter side shows at the target."""

    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    azimuth_deg: float = -58.0
    elevation_deg: float = 38.0
    span: float = 200.0
    parallel: bool = False

    @property
    def forward(self) -> Place:
        """Unit vector of the way one looks."""
        a, e = math.radians(self.azimuth_deg), math.radians(self.elevation_deg)
        return -np.array([math.cos(a) * math.cos(e), math.sin(a) * math.cos(e), math.sin(e)])

    @property
    def right(self) -> Place:
        a = math.radians(self.azimuth_deg)
        return np.array([-math.sin(a), math.cos(a), 0.0])

    @property
    def up(self) -> Place:
        return np.cross(self.right, self.forward)

    @property
    def distance(self) -> float:
        return 0.5 * self.span / math.tan(_HALF_FIELD)

    @property
    def eye(self) -> Place:
        return np.array(self.target) - self.forward * self.distance

    def view_projection(self, width: int, height: int) -> Matrix:
        """World to clip coordinates, for a picture of this size. ``(4, 4)``, column vectors."""
        view = np.eye(4)
        view[0, :3], view[1, :3], view[2, :3] = self.right, self.up, -self.forward
        view[:3, 3] = -view[:3, :3] @ self.eye
        wide, high = width / min(width, height), height / min(width, height)
        reach = max(self.span * 6.0, 2500.0)
        projection = np.zeros((4, 4))
        if self.parallel:
            near, far = self.distance - reach, self.distance + reach
            projection[0, 0], projection[1, 1] = 2.0 / (self.span * wide), 2.0 / (self.span * high)
            projection[2, 2], projection[2, 3] = -2.0 / (far - near), -(far + near) / (far - near)
            projection[3, 3] = 1.0
        else:
            near, far = self.distance * 0.05, self.distance + reach
            scale = 1.0 / math.tan(_HALF_FIELD)
            projection[0, 0], projection[1, 1] = scale / wide, scale / high
            projection[2, 2], projection[2, 3] = -(far + near) / (far - near), -2.0 * far * near / (far - near)
            projection[3, 2] = -1.0
        return projection @ view

    def pixel_mm(self, width: int, height: int) -> float:
        """How much of the world one pixel covers at the target, mm."""
        return self.span / min(width, height)

    def ray(self, x: float, y: float, width: int, height: int) -> tuple[Place, Place]:
        """(start, unit direction) of the line of sight through a point of the picture, from its upper left corner."""
        nx, ny = 2.0 * x / width - 1.0, 1.0 - 2.0 * y / height
        wide, high = width / min(width, height), height / min(width, height)
        aside = self.right * (nx * wide * 0.5 * self.span) + self.up * (ny * high * 0.5 * self.span)
        at = np.array(self.target) + aside
        if self.parallel:
            return at - self.forward * 5000.0, self.forward
        way = at - self.eye
        return self.eye, way / np.linalg.norm(way)

    def turned(self, azimuth: float, elevation: float, about: Place | None = None) -> Camera:
        """Turned by so many degrees; ``about`` stays where it is in the picture."""
        new = replace(
            self,
            azimuth_deg=(self.azimuth_deg + azimuth + 180.0) % 360.0 - 180.0,
            elevation_deg=min(max(self.elevation_deg + elevation, -89.9), 89.9),
        )
        if about is None:
            return new
        # Keep the pivot at the same place in view coordinates.
        off = about - np.array(self.target)
        seen = (off @ self.right, off @ self.up, off @ self.forward)
        target = about - (new.right * seen[0] + new.up * seen[1] + new.forward * seen[2])
        return replace(new, target=(float(target[0]), float(target[1]), float(target[2])))

    def moved(self, right_mm: float, up_mm: float) -> Camera:
        target = np.array(self.target) + self.right * right_mm + self.up * up_mm
        return replace(self, target=(float(target[0]), float(target[1]), float(target[2])))

    def zoomed(self, factor: float, about: Place | None = None) -> Camera:
        """Closer by ``factor`` (over 1), keeping ``about`` where it is in the picture."""
        span = min(max(self.span / factor, 0.2), 5000.0)
        real = self.span / span
        target = np.array(self.target)
        if about is not None:
            target = about + (target - about) / real
        return replace(self, span=span, target=(float(target[0]), float(target[1]), float(target[2])))

    def fitted(self, low: Place, high: Place, width: int, height: int) -> Camera:
        """Showing the whole of a box, from where one stands."""
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        middle = (low + high) / 2.0
        across, along = (corners - middle) @ self.right, (corners - middle) @ self.up
        wide, high_ = width / min(width, height), height / min(width, height)
        span = max((across.max() - across.min()) / wide, (along.max() - along.min()) / high_, 1.0) * 1.12
        shift = self.right * (across.max() + across.min()) / 2 + self.up * (along.max() + along.min()) / 2
        target = middle + shift
        return replace(self, span=float(span), target=(float(target[0]), float(target[1]), float(target[2])))
