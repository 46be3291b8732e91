"""A whitened design matrix taken apart: an orthonormal basis of what it reaches, a generalised inverse, and what is loose.

Columns are scaled to length 1 first, so that millimetres and radians weigh alike. Where a visit has many bodies, each
is eliminated by itself, with what it leaves handed on to the next one that it is tied to, and to what all share in the
end: orthogonal all the way, so that nothing is squared. Source: Householder QR; multifrontal elimination (Björck,
Numerical Methods for Least Squares Problems, 6.6); rank = singular values above 1e-9 of the largest.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from escuadra.core.state.unknowns import Indices, Vector

NOTHING = 1e-9
"""A singular value below this share of the largest is none."""
FEW_BODIES = 8
"""Up to so many, one elimination of everything is quicker."""


@dataclass(frozen=True)
class Factors:
    """A = left · (what ``inverse`` undoes); ``inverse`` · left.T is the smallest least-squares inverse of A, scaled."""

    left: Vector
    """Rows × rank, orthonormal."""
    inverse: Vector
    """Unknowns × rank."""
    lengths: Vector
    """Of the columns of A; 1 where a column is empty."""
    loose: Vector
    """What is not determined: an orthonormal basis in scaled unknowns (loose × unknowns)."""

    @property
    def rank(self) -> int:
        return self.left.shape[1]

    def step(self, misfit: Vector) -> Vector:
        """The change of the unknowns that takes off most of a misfit; the smallest, in scaled unknowns, of equal ones."""
        return np.asarray(-(self.inverse @ (self.left.T @ misfit)))


def factored(matrix: Vector, bodies: Sequence[Indices] = ()) -> Factors:
    """Take a matrix (rows × unknowns) apart; ``bodies``: the columns of each, for elimination one by one."""
    lengths = np.sqrt((matrix**2).sum(axis=0))
    lengths[lengths == 0] = 1.0
    scaled = matrix / lengths
    width = scaled.shape[1]
    if len(bodies) > FEW_BODIES:
        left, upper, order = _body_by_body(scaled, bodies)
    else:
        left, upper = np.linalg.qr(scaled)
        order = np.arange(width)
    inverse = _inverse(upper)
    loose = np.zeros((0, width))
    if inverse is None:
        left, inverse, found = _by_singular_values(left, upper)
        loose = np.empty_like(found)
        loose[:, order] = found
    ordered = np.empty_like(inverse)
    ordered[order] = inverse
    return Factors(left, ordered / lengths[:, None], lengths, loose)


def _inverse(upper: Vector) -> Vector | None:
    """The inverse of a triangle of full rank; none where a singular value may be nothing.

    1 ÷ (Frobenius norm of the inverse) is not above the smallest singular value, the norm itself not below the largest.
    """
    if upper.shape[0] < upper.shape[1]:
        return None
    try:
        inverse = np.linalg.inv(upper)
    except np.linalg.LinAlgError:
        return None
    largest, most = float(np.linalg.norm(inverse)), float(np.linalg.norm(upper))
    return inverse if largest * most * NOTHING < 1 else None


def _by_singular_values(left: Vector, upper: Vector) -> tuple[Vector, Vector, Vector]:
    """Basis, generalised inverse and null space, by the singular values of the triangle."""
    u, s, v = np.linalg.svd(upper, full_matrices=True)
    rank = int(np.sum(s > NOTHING * s[0])) if s.size else 0
    return left @ u[:, :rank], v[:rank].T / s[:rank], v[rank:]


@dataclass(frozen=True)
class _Left:
    """What the elimination of a body leaves: equations in later unknowns, and what rows of A they are made of."""

    equations: Vector
    """Equations × unknowns."""
    rows: Indices
    shares: Vector
    """Rows × equations."""


def _body_by_body(scaled: Vector, bodies: Sequence[Indices]) -> tuple[Vector, Vector, Indices]:
    """Orthonormal left factor, upper triangle and the order of its columns: A[:, order] = left @ upper."""
    count, width = scaled.shape
    shared = np.setdiff1d(np.arange(width), np.concatenate(bodies))
    blocks = [*bodies, shared]
    order = np.concatenate(blocks)
    starts = np.concatenate([[0], np.cumsum([len(block) for block in blocks])])
    ordered = scaled[:, order]
    last = len(bodies)
    touched = np.stack([(ordered[:, a:b] != 0).any(axis=1) for a, b in zip(starts, starts[1:-1], strict=False)], axis=1)
    first = np.where(touched.any(axis=1), touched.argmax(axis=1), last)
    waiting: list[list[_Left]] = [[] for _ in blocks]
    left, upper = np.zeros((count, width)), np.zeros((width, width))
    for k in range(len(blocks)):
        rows = np.flatnonzero(first == k)
        parts = [ordered[rows, starts[k] :], *(found.equations for found in waiting[k])]
        front = np.concatenate(parts)
        counted = np.concatenate([rows, *(found.rows for found in waiting[k])])
        used = np.concatenate(
            [np.arange(starts[k], starts[k + 1]), starts[k + 1] + np.flatnonzero(front[:, starts[k + 1] - starts[k] :].any(axis=0))]
        )
        q, r = np.linalg.qr(front[:, used - starts[k]])
        shares, at = np.empty((len(counted), q.shape[1])), len(rows)
        shares[:at] = q[:at]
        line = at
        for found in waiting[k]:
            own = q[line : line + len(found.equations)]
            shares[at : at + len(found.rows)] = found.shares @ own
            at, line = at + len(found.rows), line + len(found.equations)
        done = min(starts[k + 1] - starts[k], len(r))
        left[counted, starts[k] : starts[k] + done] += shares[:, :done]
        upper[starts[k] : starts[k] + done, used] = r[:done]
        if len(r) > done:
            beyond = used[starts[k + 1] - starts[k] :]
            to = int(np.searchsorted(starts, beyond[0], side="right")) - 1 if len(beyond) else last
            equations = np.zeros((len(r) - done, width - starts[to]))
            equations[:, beyond - starts[to]] = r[done:, starts[k + 1] - starts[k] :]
            waiting[to].append(_Left(equations, counted, shares[:, done:]))
    return left, upper, order
