"""Trials: asked before planting, laid out by chance, planted in one step,
blinded until all of it is in.
"""
