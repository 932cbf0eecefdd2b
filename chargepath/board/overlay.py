"""Lays a picture over a board by pairs of points, and says how far off the result may be before anybody trusts it.

A flat board seen by a camera is a homography: eight numbers, found from four pairs of points or more by the direct
linear transformation with normalised coordinates (Hartley and Zisserman, Multiple View Geometry, algorithm 4.2; from
memory). The condition of the equations does not warn of pairs that lie close together. What warns is to move each click
by a pixel, to fit again, and to look how far the corners of the board move.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError

Point = tuple[float, float]
FEWEST, TO_NAME_ONE = 4, 6
# From so far off on, a pair is no click of a steady hand [pixels]. Another pair is as suspect where leaving it out
# leaves at most so many times more.
LEAST_OFF_PX, TIMES_WORSE = 6.0, 2.5
# How far a click is usually off: a pixel of the picture in each direction.
CLICK_PX = 1.0


@dataclass(frozen=True, eq=False)
class PictureFit:
    """A picture laid over a board.

    Attributes
    ----------
    on_board, in_picture : sequence of (x, y)
        The pairs of points: [mm], and pixels with y downwards.
    matrix : array, shape (3, 3)
        From the board to the picture, in homogeneous coordinates.

    """

    on_board: Sequence[Point]
    in_picture: Sequence[Point]
    matrix: Array

    def to_picture(self, points: Sequence[Point] | Array) -> Array:
        """Pixels of points on the board, shape (n, 2)."""
        return _mapped(self.matrix, points)

    def to_board(self, points: Sequence[Point] | Array) -> Array:
        """Millimetres of points in the picture, shape (n, 2)."""
        return _mapped(np.asarray(np.linalg.inv(self.matrix), np.float64), points)

    @cached_property
    def mirrored(self) -> bool:
        """Whether the picture shows the board from its other side.

        The mapping scales areas by its determinant over the cube of the third coordinate, which is negative where left
        and right are swapped. Both have y downwards.
        """
        x, y = np.mean(np.asarray(self.on_board), axis=0)
        w = self.matrix[2] @ np.array([x, y, 1.0])
        return bool(np.linalg.det(self.matrix) / w**3 < 0)

    def error_mm(self, corners: Sequence[Point]) -> float:
        """How far off the worst of the corners may be [mm], where each click is a pixel off."""
        return float(self.errors_mm(corners).max())

    def errors_mm(self, points: Sequence[Point] | Array) -> Array:
        """How far off points on the board may be [mm], where each click is a pixel off, shape (n,).

        Each coordinate of each click is moved by a pixel and the picture fitted again. The squares of the shifts add
        up, since the clicks are off independently of each other.
        """
        pixels = self.to_picture(points)
        at = self.to_board(pixels)
        total = np.zeros(len(at))
        for number in range(len(self.in_picture)):
            for axis in (0, 1):
                moved = [list(point) for point in self.in_picture]
                moved[number][axis] += CLICK_PX
                other = fit(self.on_board, [(x, y) for x, y in moved])
                total += np.sum((other.to_board(pixels) - at) ** 2, axis=1)
        found: Array = np.sqrt(total)
        return found

    @property
    def residuals_px(self) -> Array:
        """How far each pair is off in the picture [pixels], shape (n,)."""
        off = self.to_picture(self.on_board) - np.asarray(self.in_picture)
        found: Array = np.hypot(off[:, 0], off[:, 1])
        return found


def fit(on_board: Sequence[Point], in_picture: Sequence[Point]) -> PictureFit:
    """Lay a picture over a board.

    Raises
    ------
    ReadingError
        Fewer than four pairs, or pairs that lie on one line.

    """
    if len(on_board) != len(in_picture) or len(on_board) < FEWEST:
        raise ReadingError("too few pairs of points", "pairs", "four, as far apart as the picture allows")
    board, picture = np.asarray(on_board, float), np.asarray(in_picture, float)
    from_board, from_picture = _normalised(board), _normalised(picture)
    ours, theirs = _mapped(from_board, board), _mapped(from_picture, picture)
    rows = []
    for (x, y), (u, v) in zip(ours, theirs, strict=True):
        rows.append([-x, -y, -1, 0, 0, 0, u * x, u * y, u])
        rows.append([0, 0, 0, -x, -y, -1, v * x, v * y, v])
    _, sizes, across = np.linalg.svd(np.asarray(rows))
    # With four pairs in general position exactly one direction is free; a second one means that pairs lie on a line.
    if sizes[7] < 1e-9 * sizes[0]:
        raise ReadingError("the points lie on one line", "pairs", "four of which no three lie on one line")
    matrix = np.linalg.inv(from_picture) @ across[-1].reshape(3, 3) @ from_board
    return PictureFit(tuple(map(tuple, board)), tuple(map(tuple, picture)), matrix / matrix[2, 2])


def wrong_pairs(on_board: Sequence[Point], in_picture: Sequence[Point]) -> tuple[int, ...]:
    """The pairs of which one does not belong to the others, found by leaving out one after the other.

    One number where it is clear which; several where pairs lie in a row, so that leaving out either helps as much; none
    where all belong. It takes six pairs: of fewer, any four that are left fit each other too well to tell.
    """
    count = len(on_board)
    if count < TO_NAME_ONE or _spread_px(fit(on_board, in_picture)) < LEAST_OFF_PX / 2:
        return ()
    left = []
    for number in range(count):
        kept = [other for other in range(count) if other != number]
        left.append(_spread_px(fit([on_board[n] for n in kept], [in_picture[n] for n in kept])))
    enough = max(TIMES_WORSE * min(left), CLICK_PX)
    return tuple(number for number, spread in enumerate(left) if spread <= enough)


def _spread_px(found: PictureFit) -> float:
    return float(np.sqrt(np.mean(found.residuals_px**2)))


def _normalised(points: Array) -> Array:
    """The similarity that brings points around zero with a mean distance of the square root of two, shape (3, 3)."""
    middle = points.mean(axis=0)
    mean = np.hypot(*(points - middle).T).mean()
    if mean == 0:
        raise ReadingError("the points lie on one spot", "pairs", "four, as far apart as the picture allows")
    scale = np.sqrt(2) / mean
    return np.array([[scale, 0, -scale * middle[0]], [0, scale, -scale * middle[1]], [0, 0, 1]])


def _mapped(matrix: Array, points: Sequence[Point] | Array) -> Array:
    whole = np.column_stack([np.asarray(points, float).reshape(-1, 2), np.ones(len(points))]) @ matrix.T
    return whole[:, :2] / whole[:, 2:]
