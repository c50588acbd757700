"""Compare."""
