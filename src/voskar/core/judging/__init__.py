"""Judging: one frame's touches in, an outcome for each, one contact at a time in the order of hits."""
