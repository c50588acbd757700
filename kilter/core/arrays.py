"""Names for the arrays that the core reckons with."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

#: An array of floats of any shape; what uses it says which.
FloatArray = npt.NDArray[np.float64]
