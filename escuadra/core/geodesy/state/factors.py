"""A whitened design matrix taken apart: an orthonormal basis of what it reaches, its inverse, and what is loose.

Columns are scaled to length 1 first, so that millimetres and radians weigh alike. Where a visit has many bodies, each
is eliminated by itself, with what it leaves handed on to the next one that it is tied to, and to what all share in the
end: orthogonal all the way, so that nothing is squared. Source: Householder QR; multifrontal elimination (Björck,
Numerical Methods for Least Squares Problems, 6.6); rank = singular values above 1e-9 of the largest.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from escuadra.core.geodesy.state.unknowns import Indices, Vector

NOTHING = 1e-9
"""A singular value below this share of the largest is none."""
MANY_BODIES = 32
"""From so many on, body by body is quicker than everything at once."""
SAFE = 1e-6
"""A pivot of the normal equations (columns of length 1) above this leaves a step ten digits and more."""


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
        return int(self.left.shape[1])


def step(matrix: Vector, misfit: Vector, bodies: Sequence[Indices] = (), damping: float = 0.0) -> Vector:
    """The change of the unknowns that takes off most of a misfit; the smallest, in scaled unknowns, of equal ones.

    By the normal equations where they are safe, since the next step mends what a step lacks; else by the factors.
    ``damping`` (Levenberg) is added to their diagonal: it shortens a step most where the readings say least.
    """
    lengths = np.sqrt((matrix**2).sum(axis=0))
    if damping or (len(matrix) >= matrix.shape[1] and lengths.all()):
        lengths[lengths == 0] = 1.0
        scaled = matrix / lengths
        normal = scaled.T @ scaled + damping * np.eye(len(lengths))
        try:
            safe = float(np.min(np.diag(np.linalg.cholesky(normal)), initial=1.0)) > SAFE
        except np.linalg.LinAlgError:
            safe = False
        if safe:
            return np.asarray(-np.linalg.solve(normal, scaled.T @ misfit) / lengths)
    factors = factored(matrix, bodies)
    return np.asarray(-(factors.inverse @ (factors.left.T @ misfit)))


def factored(matrix: Vector, bodies: Sequence[Indices] = ()) -> Factors:
    """Take a matrix (rows × unknowns) apart; ``bodies``: the columns of each, for elimination one by one."""
    lengths = np.sqrt((matrix**2).sum(axis=0))
    lengths[lengths == 0] = 1.0
    scaled = matrix / lengths
    width = scaled.shape[1]
    if len(bodies) >= MANY_BODIES:
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
    return np.asarray(inverse) if largest * most * NOTHING < 1 else None


def _by_singular_values(left: Vector, upper: Vector) -> tuple[Vector, Vector, Vector]:
    """Basis, generalised inverse and null space, by the singular values of the triangle."""
    u, s, v = np.linalg.svd(upper, full_matrices=True)
    rank = int(np.sum(s > NOTHING * s[0])) if s.size else 0
    return left @ u[:, :rank], v[:rank].T / s[:rank], v[rank:]


@dataclass(frozen=True)
class _Left:
    """What the elimination of a body leaves: equations in later unknowns, and what rows of A they are made of."""

    equations: Vector
    """Equations × columns."""
    columns: Indices
    blocks: frozenset[int]
    rows: Indices
    shares: Vector
    """Rows × equations."""


def _every_other_first(bodies: Sequence[Indices]) -> list[Indices]:
    """Epochs follow each other: with every other one first, what is handed on passes few others on its way."""
    found, rest = list[Indices](), list(bodies)
    while rest:
        found, rest = found + rest[::2], rest[1::2]
    return found


def _body_by_body(scaled: Vector, bodies: Sequence[Indices]) -> tuple[Vector, Vector, Indices]:
    """Orthonormal left factor, upper triangle and the order of its columns: A[:, order] = left @ upper."""
    count, width = scaled.shape
    blocks = _every_other_first(bodies)
    blocks.append(np.setdiff1d(np.arange(width), np.concatenate(blocks)))
    order = np.concatenate(blocks)
    starts = np.cumsum([0, *(len(block) for block in blocks)])
    spans = [np.arange(a, b) for a, b in pairwise(starts)]
    ordered = scaled[:, order]
    owner = np.repeat(np.arange(len(blocks)), np.diff(starts))
    touched = (ordered != 0) @ (owner[:, None] == np.arange(len(blocks))).astype(float) > 0
    touched[:, -1] = True
    first = touched.argmax(axis=1)
    waiting: list[list[_Left]] = [[] for _ in blocks]
    left, upper = np.zeros((count, width)), np.zeros((width, width))
    for k, own in enumerate(spans):
        rows = np.flatnonzero(first == k)
        later = set(np.flatnonzero(touched[rows].any(axis=0)).tolist()).union(*(w.blocks for w in waiting[k])) - {k}
        columns = np.concatenate([own, *(spans[j] for j in sorted(later))])
        sizes = [len(rows), *(len(found.equations) for found in waiting[k])]
        ends = np.cumsum(sizes)
        front = np.zeros((ends[-1], len(columns)))
        front[: len(rows)] = ordered[rows[:, None], columns]
        for end, found in zip(ends[1:], waiting[k], strict=True):
            front[end - len(found.equations) : end, np.searchsorted(columns, found.columns)] = found.equations
        q, r = np.linalg.qr(front)
        shares = [q[: len(rows)]]
        shares += [f.shares @ q[e - len(f.equations) : e] for e, f in zip(ends[1:], waiting[k], strict=True)]
        rows, share = np.concatenate([rows, *(f.rows for f in waiting[k])]), np.concatenate(shares)
        done = min(len(own), len(r))
        left[rows, own[:1] + np.arange(done)[:, None]] = share[:, :done].T
        upper[own[:done, None], columns] = r[:done]
        if len(r) > done:
            handed = _Left(r[done:, len(own) :], columns[len(own) :], frozenset(later), rows, share[:, done:])
            waiting[min(later)].append(handed)
    return left, upper, order
