"""Other data held against the core: ``python -m tests.checks compare FILE``."""
