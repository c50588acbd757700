"""From a question to its answer: asked of the records, judged, said, drawn, taken away."""
