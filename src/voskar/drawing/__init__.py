"""Matplotlib figures from core objects."""
