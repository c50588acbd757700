"""The seams are asked as the bench's devices and the pages ask."""

from tests.web.conftest import send

__all__ = ["send"]
