"""One conditional logit for all tables: weights that make the right choice of each group the likeliest, drawn to a start."""

from __future__ import annotations

import numpy as np
from scipy.optimize import minimize
from scipy.sparse import csr_matrix


def fit(
    matrix: csr_matrix | np.ndarray,
    group: np.ndarray,
    right: np.ndarray,
    *,
    counts: np.ndarray,
    strength: float,
    offset: np.ndarray | float = 0.0,
    start: np.ndarray | None = None,
) -> np.ndarray:
    """Return a weight for each column.

    Args:
        matrix: a row for each choice, a column for each feature.
        group: of each choice, from 0.
        right: whether each choice is right; in every group one is at least.
        counts: what each group counts.
        strength: how firmly the weights are drawn to `start`.
        offset: what is known of each choice beforehand, as a log.
        start: zero by default.
    """
    groups = len(counts)
    before = np.zeros(matrix.shape[1]) if start is None else start

    def loss(weights: np.ndarray) -> tuple[float, np.ndarray]:
        moved = weights - before
        score = matrix @ weights + offset
        top = np.full(groups, -np.inf)
        np.maximum.at(top, group, score)
        odds = np.exp(score - top[group])
        whole = np.bincount(group, odds, groups)
        good = np.bincount(group, odds * right, groups)
        share, own = odds / whole[group], odds * right / good[group]
        value = float(np.sum(counts * (np.log(whole) - np.log(good))) + 0.5 * strength * moved @ moved)
        return value, matrix.T @ (counts[group] * (share - own)) + strength * moved

    found: np.ndarray = minimize(loss, before, jac=True, method="L-BFGS-B", options={"maxiter": 400}).x
    return found
