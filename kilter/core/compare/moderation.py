"""How much like units differ: a belief with three components, what the units add to it,
and one figure of all that.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray

#: The rule counts as so many degrees of freedom.
RULE_WEIGHT: Final = 4.0
#: What is left beside the garden's own: mostly the rule, and a little of "these may be ten times
#: steadier".
CAREFUL_SHARE: Final = 0.1
CAREFUL_KAPPA: Final = 0.1


@dataclass(frozen=True)
class Component:
    """One scaled inverse χ² belief of κ, the multiple of the rule's variance."""

    weight: float  #: π, its share of the belief
    df: float  #: d, how many degrees of freedom it counts as
    kappa: float  #: κ


def rule_components(weight: float = RULE_WEIGHT) -> tuple[Component, ...]:
    """Give what is believed before anything was grown twice alike.

    Parameters
    ----------
    weight : float
        Degrees of freedom that each component counts as.

    Returns
    -------
    tuple of Component
        Nine tenths the rule, one tenth careful.

    Notes
    -----
    Kilter's own (rule). So neither a pool nor the rule can insist against the units (robust prior:
    Phipson et al. 2016; memory).

    Examples
    --------
    >>> [(one.weight, one.kappa) for one in rule_components()]
    [(0.9, 1.0), (0.1, 0.1)]
    """
    return Component(1 - CAREFUL_SHARE, weight, 1.0), Component(
        CAREFUL_SHARE, weight, CAREFUL_KAPPA
    )


@dataclass(frozen=True)
class Prior:
    """What is believed of the spread between like units before these are seen."""

    source: str = "rule"
    components: tuple[Component, ...] = rule_components()
    units: int = 0  #: the garden's own replicates that it comes from

    @property
    def kappa(self) -> float:
        """Of the first component: the garden's own where it has one, else the rule."""
        return self.components[0].kappa

    @property
    def weight(self) -> float:
        """Degrees of freedom of that component; 0 lets the units alone decide."""
        return self.components[0].df

    @classmethod
    def plain(cls, weight: float = RULE_WEIGHT, kappa: float = 1.0) -> Prior:
        """One component alone: the belief of a textbook, or none at all with a weight of 0."""
        return cls("rule", (Component(1.0, weight, kappa),))


@dataclass(frozen=True)
class Posterior:
    """κ after the units were seen, component by component; H rows for as many suppositions."""

    weights: FloatArray  #: (H, J) q, each row sums to one
    phi: FloatArray  #: (H, J)
    df: FloatArray  #: (J,)
    log_likelihood: FloatArray  #: (H,)


def posterior(components: Sequence[Component], squares: FloatArray, nu: int) -> Posterior:
    """Update the components by sums of squares.

    Parameters
    ----------
    components : sequence of Component, length J
        The belief before.
    squares : ndarray, shape (H,)
        Σ (y − μ)²/v for each supposition.
    nu : int
        Their degrees of freedom.

    Returns
    -------
    Posterior
        φ_j = (d_j κ_j + squares)/(d_j + ν), and how much each component still counts.

    Notes
    -----
    L_j = π_j Γ(df_j/2)/Γ(d_j/2)·(d_jκ_j)^(d_j/2)·(d_jκ_j + squares)^(−df_j/2): the marginal
    likelihood of a scaled inverse χ² belief (Smyth 2004, *Stat. Appl. Genet. Mol. Biol.* 3(1):3).

    Examples
    --------
    >>> found = posterior(rule_components(), np.array([0.5]), 2)
    >>> [round(float(x), 4) for x in found.phi[0]]
    [0.75, 0.15]
    """
    pi, d, kappa = (
        np.array(column)
        for column in zip(*((v.weight, v.df, v.kappa) for v in components), strict=True)
    )
    df = d + nu
    whole = d * kappa + squares[:, None]
    phi = whole / df
    if len(components) == 1:
        likelihood = -df / 2 * np.log(np.maximum(whole, 1e-300))
        return Posterior(np.ones_like(phi), phi, df, likelihood[:, 0])
    gamma = scipy.special.gammaln
    each = (
        np.log(pi)
        + gamma(df / 2)
        - gamma(d / 2)
        + d / 2 * np.log(d * kappa)
        - df / 2 * np.log(whole)
    )
    top = each.max(axis=1, keepdims=True)
    weights = np.exp(each - top)
    total = weights.sum(axis=1, keepdims=True)
    return Posterior(weights / total, phi, df, (top + np.log(total))[:, 0])


def collapse(
    weights: FloatArray, phi: FloatArray, df: FloatArray, axis: int | tuple[int, int] = -1
) -> tuple[FloatArray, FloatArray]:
    """Find the one scaled inverse χ² with the mean and the variance of the log of a mixture of
    such.

    Parameters
    ----------
    weights, phi : ndarray, shape (..., J)
        Shares that sum to one, and scales.
    df : ndarray, broadcastable to them
        Degrees of freedom.
    axis : int or pair of int
        Over what the shares sum to one.

    Returns
    -------
    phi, df : ndarray, shape (...)
        Of the one.

    Notes
    -----
    ln of a scaled inverse χ² has mean ln(φ df/2) − ψ(df/2) and variance ψ′(df/2) (Smyth 2004,
    appendix).

    Examples
    --------
    >>> one = collapse(np.array([1.0]), np.array([0.7]), np.array([6.0]))
    >>> [round(float(x), 9) for x in one]
    [0.7, 6.0]
    """
    logs = np.log(phi * df / 2) - scipy.special.psi(df / 2)
    mean = np.sum(weights * logs, axis=axis, keepdims=True)
    variance = np.sum(weights * (_trigamma(df / 2) + (logs - mean) ** 2), axis=axis)
    return of_log(np.squeeze(mean, axis), variance)


def of_log(mean: FloatArray, variance: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give scale and degrees of freedom of the scaled inverse χ² whose log has this mean and
    variance.

    Parameters
    ----------
    mean, variance : ndarray, any shape
        Of the log.

    Returns
    -------
    scale, df : ndarray
        Same shape.

    Notes
    -----
    df = 2 ψ′⁻¹(variance), by Newton steps on 1/ψ′ (Smyth 2004, appendix).

    Examples
    --------
    >>> scale, df = of_log(np.array(0.0), np.array(_trigamma(np.array(3.0))))
    >>> round(float(df), 6)
    6.0
    """
    y = 0.5 + 1 / variance
    for _ in range(50):
        at = _trigamma(y)
        change = at * (1 - at / variance) / scipy.special.polygamma(2, y)
        y = y + change
        if np.max(np.abs(change) / y) < 1e-10:  # the error left is about its square
            break
    return np.asarray(np.exp(mean - np.log(y) + scipy.special.psi(y))), np.asarray(2 * y)


def _trigamma(x: FloatArray) -> FloatArray:
    return np.asarray(scipy.special.polygamma(1, x))


def kappa_quantiles(phi: float, df: float, count: int) -> FloatArray:
    """Give equally likely values of κ under its one scaled inverse χ².

    Parameters
    ----------
    phi, df : float
        Its scale and degrees of freedom.
    count : int
        How many.

    Returns
    -------
    ndarray, shape (count,)
        The quantiles at (i + ½)/count, rising.

    Notes
    -----
    `scipy.special.chdtri`.

    Examples
    --------
    >>> round(float(np.median(kappa_quantiles(1.0, 4.0, 101))), 3)
    1.192
    """
    upper = (np.arange(count) + 0.5) / count
    return np.asarray(df * phi / scipy.special.chdtri(df, upper))
