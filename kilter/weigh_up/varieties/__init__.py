"""What people say of varieties, and the ranking of that with what was measured."""
