"""Fitting the house to its readings.

One linear model for all readings: level = power + antenna - free space - clutter * way - sum of factor * wall loss
+ bias of the radio + offset of the instrument + shadowing. The factors, clutter, biases and offsets have priors and
physical bounds; shadowing is a field around each radio whose likeness falls off with distance (universal kriging).
Every prediction carries the standard deviation that follows. Sources: Rasmussen and Williams, Gaussian Processes for
Machine Learning (2006), 2.7 (linear terms with a prior) and 5.4.2 (leaving one out); Huber's weights for what does
not fit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Floats
from even_static.core.tables.bands import BANDS
from even_static.core.tables.materials import (
    CLUTTER_DB_PER_M,
    CLUTTER_SPREAD_DB_PER_M,
    MOST_CLUTTER_DB_PER_M,
    WALL_FACTOR_BOUNDS,
    WALL_FACTOR_SPREAD,
)
from even_static.core.tables.propagation import (
    RADIO_BIAS_DB,
    READING_ERROR_DB,
    SHADOWING_BOUNDS_DB,
    SHADOWING_DB,
    SHADOWING_M,
)

Groups = list[NDArray[np.intp]]

ROUNDS = 4
OUTLIER = 2.5
LEAST_STRANGE_DB = 7.0


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Observations:
    """Readings as arrays of shape (readings,) unless told: ``rows`` (readings, terms); positions (readings, 3) in m.

    ``fixed_db`` is the part of the level without unknowns: power, antenna, mounting, free space.
    """

    radio: NDArray[np.intp]
    rx: Floats
    tx: Floats
    fixed_db: Floats
    rows: Floats
    level_dbm: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Terms:
    """Names and priors of the unknowns: wall factors, clutter by band, bias by radio, offset by instrument."""

    kinds: tuple[str, ...]
    radios: int
    instruments: tuple[str, ...]
    offset_db: tuple[float, ...]
    offset_spread_db: tuple[float, ...]

    @property
    def count(self) -> int:
        """How many unknowns there are."""
        return len(self.kinds) + len(BANDS) + self.radios + len(self.instruments)

    def clutter(self, band: int) -> int:
        """Column of a band's clutter."""
        return len(self.kinds) + band

    def bias(self, radio: int) -> int:
        """Column of a radio's bias."""
        return len(self.kinds) + len(BANDS) + radio

    def offset(self, instrument_id: str) -> int:
        """Column of an instrument's offset."""
        return len(self.kinds) + len(BANDS) + self.radios + self.instruments.index(instrument_id)

    def prior(self) -> tuple[Floats, Floats, Floats, Floats]:
        """(mean, standard deviation, lower bound, upper bound), each of shape (terms,)."""
        mean = [1.0] * len(self.kinds) + [CLUTTER_DB_PER_M[b] for b in BANDS] + [0.0] * self.radios
        spread = [WALL_FACTOR_SPREAD] * len(self.kinds) + [CLUTTER_SPREAD_DB_PER_M] * len(BANDS)
        spread += [RADIO_BIAS_DB] * self.radios
        low = [WALL_FACTOR_BOUNDS[0]] * len(self.kinds) + [0.0] * len(BANDS) + [-6.0] * self.radios
        high = [WALL_FACTOR_BOUNDS[1]] * len(self.kinds) + [MOST_CLUTTER_DB_PER_M] * len(BANDS) + [6.0] * self.radios
        mean += self.offset_db
        spread += [max(s, 0.1) for s in self.offset_spread_db]
        low += [m - 15.0 for m in self.offset_db]
        high += [m + 15.0 for m in self.offset_db]
        return np.array(mean), np.array(spread), np.array(low), np.array(high)


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Field:
    """Shadowing around one radio: readings' positions (readings, 3), and what kriging needs of them."""

    rx: Floats
    tx: Floats
    weights: Floats
    inverse: Floats
    rows: Floats
    plain: Floats


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Fit:
    """The calibrated house.

    ``value`` and ``spread``: shape (terms,); ``covariance``: (terms, terms); ``shadowing_db``: its standard deviation;
    ``residual_db``: what each reading differs from the fitted terms; ``left_out_db`` and ``left_out_spread_db``: by how
    much it differs from what all other readings lead one to expect, and the standard deviation of that.
    """

    terms: Terms
    value: Floats
    covariance: Floats
    shadowing_db: float
    residual_db: Floats
    left_out_db: Floats
    left_out_spread_db: Floats
    fields: dict[int, Field]

    @property
    def spread(self) -> Floats:
        """Standard deviation of every term."""
        return np.asarray(np.sqrt(np.diag(self.covariance)), dtype=np.float64)

    def strange(self) -> NDArray[np.bool_]:
        """Readings that neither the house nor their neighbours explain."""
        off = np.abs(self.left_out_db)
        return np.asarray((off > OUTLIER * self.left_out_spread_db) & (off > LEAST_STRANGE_DB), dtype=bool)


def likeness(a: Floats, b: Floats) -> Floats:
    """How alike shadowing is at two sets of points, by distance: shape (a, b) for points (a, 3) and (b, 3) in m."""
    squared = (a**2).sum(axis=1)[:, None] + (b**2).sum(axis=1)[None, :] - 2 * a @ b.T
    return np.asarray(np.exp(-np.sqrt(np.maximum(squared, 0.0)) / SHADOWING_M), dtype=np.float64)


def calibrate(seen: Observations, terms: Terms) -> Fit:
    """Fit the terms to readings; without readings the priors stand.

    Raises nothing: terms that no reading bears on keep their prior and its spread.
    """
    mean, spread, low, high = terms.prior()
    n = len(seen.level_dbm)
    if n == 0:
        nothing = np.zeros(0)
        return Fit(
            terms=terms,
            value=mean,
            covariance=np.diag(spread**2),
            shadowing_db=SHADOWING_DB,
            residual_db=nothing,
            left_out_db=nothing,
            left_out_spread_db=nothing,
            fields={},
        )
    # Shadowing of one radio tells nothing of another's: all that follows goes radio by radio.
    groups = [np.flatnonzero(seen.radio == radio) for radio in np.unique(seen.radio)]
    alike = [likeness(seen.rx[g], seen.rx[g]) * likeness(seen.tx[g], seen.tx[g]) for g in groups]
    target = seen.level_dbm - seen.fixed_db
    shadow = SHADOWING_DB
    doubt = np.ones(n)
    left, left_spread = target, spread
    for _ in range(ROUNDS):
        noise = _noise(alike, groups, shadow, doubt)
        left, left_spread, _ = _left_out(seen.rows, target, noise, groups, mean, spread)
        # What the others lead to expect does not depend on a reading's own doubt; judge it by its plain error.
        left_spread = np.sqrt(np.maximum(left_spread**2 - READING_ERROR_DB**2 * (doubt - 1), READING_ERROR_DB**2))
        off = np.abs(left) / left_spread
        # Readings that do not fit count for less; the others tell how much shadowing there is.
        doubt = np.minimum(np.maximum(off / OUTLIER, 1.0) ** 4, 400.0)
        fits = off <= OUTLIER
        if fits.sum() >= 6:
            shadow = float(np.clip(shadow * np.sqrt(np.sqrt(np.mean(off[fits] ** 2))), *SHADOWING_BOUNDS_DB))
    noise = _noise(alike, groups, shadow, doubt)
    value = _bounded(seen.rows, target, noise, groups, mean, spread, low, high)
    covariance = _left_out(seen.rows, target, noise, groups, mean, spread)[2]
    residual = target - seen.rows @ value
    return Fit(
        terms=terms,
        value=value,
        covariance=covariance,
        shadowing_db=shadow,
        residual_db=residual,
        left_out_db=left,
        left_out_spread_db=left_spread,
        fields=_fields(seen, residual, groups, noise),
    )


def _fields(seen: Observations, residual: Floats, groups: Groups, noise: list[Floats]) -> dict[int, Field]:
    """What the terms leave unexplained, by radio, ready to be carried over to other points."""
    fields = {}
    for mine, block in zip(groups, noise, strict=True):
        inverse = np.asarray(np.linalg.inv(block), dtype=np.float64)
        fields[int(seen.radio[mine[0]])] = Field(
            rx=seen.rx[mine],
            tx=seen.tx[mine],
            weights=inverse @ residual[mine],
            inverse=inverse,
            rows=seen.rows[mine],
            plain=inverse @ seen.rows[mine],
        )
    return fields


def _noise(alike: list[Floats], groups: Groups, shadow: float, doubt: Floats) -> list[Floats]:
    """Covariance of what the terms leave unexplained, radio by radio, in dB squared."""
    return [shadow**2 * a + np.diag(READING_ERROR_DB**2 * doubt[g]) for a, g in zip(alike, groups, strict=True)]


def _bounded(
    rows: Floats,
    target: Floats,
    noise: list[Floats],
    groups: Groups,
    mean: Floats,
    spread: Floats,
    low: Floats,
    high: Floats,
) -> Floats:
    """The most likely terms within their bounds."""
    from scipy.linalg import cholesky, solve_triangular
    from scipy.optimize import lsq_linear

    a_parts, b_parts = [], []
    for mine, block in zip(groups, noise, strict=True):
        root = cholesky(block, lower=True)
        a_parts.append(solve_triangular(root, rows[mine], lower=True))
        b_parts.append(solve_triangular(root, target[mine], lower=True))
    a = np.concatenate([*a_parts, np.diag(1 / spread)])
    b = np.concatenate([*b_parts, mean / spread])
    free = np.asarray(np.linalg.lstsq(a, b, rcond=None)[0], dtype=np.float64)
    if np.all((free >= low) & (free <= high)):
        return free
    return np.asarray(lsq_linear(a, b, bounds=(low, high)).x, dtype=np.float64)


def _left_out(
    rows: Floats, target: Floats, noise: list[Floats], groups: Groups, mean: Floats, spread: Floats
) -> tuple[Floats, Floats, Floats]:
    """(difference, its spread) of each reading from what all others lead to expect, and the terms' covariance.

    With V the sum of the noise N and what the terms' priors S add (R S R'), the difference is (V^-1 d) / diag(V^-1);
    V is inverted by the matrix inversion lemma (Woodbury), since N falls into a block for each radio.
    """
    off = target - rows @ mean
    count = len(target)
    diagonal, solved, weighted = np.empty(count), np.empty(count), np.empty_like(rows)
    for mine, block in zip(groups, noise, strict=True):
        inverse = np.linalg.inv(block)
        diagonal[mine] = np.diag(inverse)
        solved[mine] = inverse @ off[mine]
        weighted[mine] = inverse @ rows[mine]
    covariance = np.asarray(np.linalg.inv(np.diag(1 / spread**2) + rows.T @ weighted), dtype=np.float64)
    diagonal -= np.einsum("ij,jk,ik->i", weighted, covariance, weighted, optimize=True)
    solved -= weighted @ (covariance @ (weighted.T @ off))
    return solved / diagonal, 1 / np.sqrt(diagonal), covariance


@dataclass(frozen=True, slots=True, eq=False)
class Guess:
    """Shadowing and doubt at points: both of shape (points,), in dB."""

    shadow_db: Floats
    variance_db2: Floats


def guess(fit: Fit, radio: int, tx: Floats, rows: Floats, near: Floats | NDArray[np.float32] | None) -> Guess:
    """Shadowing of a radio that stands at ``tx`` (3,) and the variance of the whole prediction, at points.

    ``rows`` has shape (points, terms); ``near`` is :func:`likeness` of the points to this radio's readings, shape
    (points, readings), None where it has none. A node that was moved keeps its shadowing as far as it is alike.
    """
    field = fit.fields.get(radio)
    sill = fit.shadowing_db**2
    if field is None or near is None:
        b = rows
        return Guess(np.zeros(len(rows)), sill + np.einsum("ij,jk,ik->i", b, fit.covariance, b, optimize=True))
    kept = np.exp(-np.linalg.norm(field.tx - tx, axis=1) / SHADOWING_M)
    k = (sill * near * kept[None, :]).astype(near.dtype, copy=False)
    shadow = k @ field.weights.astype(near.dtype)
    dtype = near.dtype
    less = ((k @ field.inverse.astype(dtype)) * k).sum(axis=1)
    b = rows - k @ field.plain.astype(dtype)
    more = ((b @ fit.covariance.astype(dtype)) * b).sum(axis=1)
    variance = np.maximum(sill - less, 0.0) + np.maximum(more, 0.0)
    return Guess(np.asarray(shadow, dtype=np.float64), np.asarray(variance, dtype=np.float64))
