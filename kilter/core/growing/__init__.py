"""What grows: counts, readiness, care, weather, medium, place and what came before."""
