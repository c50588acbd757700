"""SVG geometry as plain values: what is drawn where. Templates only print it; no Django here."""
