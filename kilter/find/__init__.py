"""Finding any planting, place or variety by a few letters."""
