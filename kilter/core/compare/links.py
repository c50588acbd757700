"""Link functions: on which scale levels and blocks add up, and how that reads as a rate again."""

from __future__ import annotations

from typing import Final, Protocol

import numpy as np

from kilter.core.arrays import FloatArray

#: Beyond this the exponential has no figures left.
FARTHEST: Final = 300.0


class Link(Protocol):
    """A canonical link; η is the sum of a level and its blocks,
    a rate is an amount per exposure.
    """

    name: str

    def rate(self, eta: FloatArray) -> FloatArray:
        """The rate at η."""

    def slope(self, rate: FloatArray) -> FloatArray:
        """How fast the rate rises with η."""

    def eta(self, rate: FloatArray) -> FloatArray:
        """η at a rate."""

    def loss(self, eta: FloatArray) -> FloatArray:
        """What is minimised is Σ (exposure · loss − amount · η): its slope is the rate."""

    def start(self, rate: FloatArray, overall: float) -> FloatArray:
        """Where to begin, inside what the link can say."""


class Log:
    """Yields and sizes: levels multiply."""

    name = "log"

    def rate(self, eta: FloatArray) -> FloatArray:
        return np.asarray(np.exp(np.clip(eta, -FARTHEST, FARTHEST)))

    def slope(self, rate: FloatArray) -> FloatArray:
        return rate

    def eta(self, rate: FloatArray) -> FloatArray:
        return np.asarray(np.log(rate))

    def loss(self, eta: FloatArray) -> FloatArray:
        return np.asarray(np.exp(eta))

    def start(self, rate: FloatArray, overall: float) -> FloatArray:
        return np.asarray(np.log((rate + overall) / 2))


class Identity:
    """Days: levels add."""

    name = "identity"

    def rate(self, eta: FloatArray) -> FloatArray:
        return eta

    def slope(self, rate: FloatArray) -> FloatArray:
        return np.ones_like(rate)

    def eta(self, rate: FloatArray) -> FloatArray:
        return rate

    def loss(self, eta: FloatArray) -> FloatArray:
        return np.asarray(eta**2 / 2)

    def start(self, rate: FloatArray, overall: float) -> FloatArray:
        return np.asarray((rate + overall) / 2)


class Logit:
    """Shares between none and all: the odds multiply."""

    name = "logit"

    def rate(self, eta: FloatArray) -> FloatArray:
        return np.asarray(1 / (1 + np.exp(-np.clip(eta, -FARTHEST, FARTHEST))))

    def slope(self, rate: FloatArray) -> FloatArray:
        return np.asarray(rate * (1 - rate))

    def eta(self, rate: FloatArray) -> FloatArray:
        return np.asarray(np.log(rate / (1 - rate)))

    def loss(self, eta: FloatArray) -> FloatArray:
        return np.asarray(np.logaddexp(0.0, eta))

    def start(self, rate: FloatArray, overall: float) -> FloatArray:
        return self.eta(np.clip((rate + overall) / 2, 0.01, 0.99))


LOG, IDENTITY, LOGIT = Log(), Identity(), Logit()
